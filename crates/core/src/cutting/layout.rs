//! One board cut by straight cuts right across what is in hand: first its ends, then crosscuts and rips, each dividing one
//! rectangle in two, so that every layout can be sawn in the order its cuts are listed.

use serde::{Deserialize, Serialize};

/// A rectangle on a board, mm: x along it from its butt end, y across from its lower edge.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Area {
    pub x0: f64,
    pub y0: f64,
    pub x1: f64,
    pub y1: f64,
}

impl Area {
    pub fn length(&self) -> f64 {
        self.x1 - self.x0
    }

    pub fn width(&self) -> f64 {
        self.y1 - self.y0
    }

    pub fn area(&self) -> f64 {
        self.length().max(0.0) * self.width().max(0.0)
    }

    /// Whether two overlap by more than a hair.
    pub fn overlaps(&self, other: &Self) -> bool {
        self.x0 < other.x1 - SLACK
            && other.x0 < self.x1 - SLACK
            && self.y0 < other.y1 - SLACK
            && other.y0 < self.y1 - SLACK
    }
}

/// What rounding may be out by, mm.
const SLACK: f64 = 1e-6;

/// Which way a cut runs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Way {
    /// Across the board at `at` along it.
    Cross,
    /// Along the board at `at` across it.
    Rip,
}

/// One cut: the kerf lies just beyond `at`, from `from` to `to` the other way.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Cut {
    pub way: Way,
    pub at: f64,
    pub from: f64,
    pub to: f64,
}

/// A piece where it lies.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Placed {
    pub piece: usize,
    pub area: Area,
}

/// A board as far as it is laid out.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Layout {
    pub placed: Vec<Placed>,
    /// What is left, in rectangles that do not overlap.
    pub free: Vec<Area>,
    /// In the order they are made.
    pub cuts: Vec<Cut>,
}

/// A way to put a piece into a free rectangle.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Spot {
    /// Which free rectangle.
    pub free: usize,
    pub x: f64,
    pub y: f64,
    /// Whether the piece's length is crosscut off first, or its strip ripped off first.
    pub cross_first: bool,
    /// Lower is tighter.
    pub loss: f64,
}

impl Layout {
    /// A whole board, its ends trimmed.
    pub fn new(length: f64, width: f64, trim: f64, kerf: f64) -> Self {
        let mut cuts = Vec::new();
        if trim > 0.0 {
            cuts.push(Cut { way: Way::Cross, at: trim - kerf.min(trim), from: 0.0, to: width });
            cuts.push(Cut { way: Way::Cross, at: length - trim, from: 0.0, to: width });
        }
        let whole = Area { x0: trim, y0: 0.0, x1: length - trim, y1: width };
        Self { placed: Vec::new(), free: if whole.length() > 0.0 { vec![whole] } else { Vec::new() }, cuts }
    }

    /// The tightest spot for a piece of this size, clear of what it must avoid. `jitter` shakes what counts as tight and which cut is
    /// made first: 0 not at all.
    pub fn spot(
        &self,
        length: f64,
        width: f64,
        avoid: &[Area],
        kerf: f64,
        jitter: &mut dyn FnMut() -> f64,
    ) -> Option<Spot> {
        let mut best: Option<Spot> = None;
        for (i, free) in self.free.iter().enumerate() {
            if free.length() < length - SLACK || free.width() < width - SLACK {
                continue;
            }
            let Some((x, y)) = clear_corner(free, length, width, avoid) else { continue };
            let (along, across) = (free.x1 - x - length, free.y1 - y - width);
            // What lies before and below a defect is seldom of use.
            let before = (x - free.x0) * free.width() + (y - free.y0) * (free.x1 - x);
            let loss = (along.min(across) + before / (length + width) + 1.0) * (1.0 + jitter());
            if best.is_none_or(|b| loss < b.loss) {
                // The larger rest stays whole.
                let cross = (along - kerf).max(0.0) * free.width();
                let rip = (across - kerf).max(0.0) * (free.x1 - x);
                best = Some(Spot { free: i, x, y, cross_first: cross * (1.0 + 1.5 * jitter()) >= rip, loss });
            }
        }
        best
    }

    /// Puts a piece into a spot that was found for it.
    pub fn put(&mut self, piece: usize, length: f64, width: f64, spot: Spot, kerf: f64) {
        let free = self.free.swap_remove(spot.free);
        let Spot { x, y, cross_first, .. } = spot;
        let mut rest = free;
        let mut keep = |area: Area| {
            if area.length() > SLACK && area.width() > SLACK {
                self.free.push(area);
            }
        };
        if x > free.x0 + SLACK {
            let at = (x - kerf).max(free.x0);
            self.cuts.push(Cut { way: Way::Cross, at, from: free.y0, to: free.y1 });
            keep(Area { x1: at, ..free });
            rest.x0 = x;
        }
        if y > free.y0 + SLACK {
            let at = (y - kerf).max(free.y0);
            self.cuts.push(Cut { way: Way::Rip, at, from: rest.x0, to: rest.x1 });
            keep(Area { y1: at, ..rest });
            rest.y0 = y;
        }
        let (x1, y1) = (x + length, y + width);
        let cross = rest.x1 > x1 + SLACK;
        let rip = rest.y1 > y1 + SLACK;
        let mut cut = |way, at, from, to| self.cuts.push(Cut { way, at, from, to });
        if cross_first {
            if cross {
                cut(Way::Cross, x1, rest.y0, rest.y1);
                keep(Area { x0: x1 + kerf, ..rest });
            }
            if rip {
                cut(Way::Rip, y1, x, x1);
                keep(Area { x0: x, y0: y1 + kerf, x1, y1: rest.y1 });
            }
        } else {
            if rip {
                cut(Way::Rip, y1, rest.x0, rest.x1);
                keep(Area { y0: y1 + kerf, ..rest });
            }
            if cross {
                cut(Way::Cross, x1, y, y1);
                keep(Area { x0: x1 + kerf, y0: y, x1: rest.x1, y1 });
            }
        }
        self.placed.push(Placed { piece, area: Area { x0: x, y0: y, x1, y1 } });
    }

    /// Face of the pieces, mm².
    pub fn used(&self) -> f64 {
        self.placed.iter().map(|p| p.area.area()).sum()
    }
}

/// The lowest place nearest the butt end of a free rectangle where a piece is clear of what it must avoid.
fn clear_corner(free: &Area, length: f64, width: f64, avoid: &[Area]) -> Option<(f64, f64)> {
    let at = |x: f64, y: f64| Area { x0: x, y0: y, x1: x + length, y1: y + width };
    let fits = |x: f64, y: f64| x + length <= free.x1 + SLACK && y + width <= free.y1 + SLACK;
    if avoid.is_empty() {
        return Some((free.x0, free.y0));
    }
    let here: Vec<&Area> = avoid.iter().filter(|d| d.overlaps(free)).collect();
    if here.is_empty() {
        return Some((free.x0, free.y0));
    }
    let steps = |start: f64, of: fn(&Area) -> f64| {
        let mut all: Vec<f64> = here.iter().map(|d| of(d)).filter(|v| *v > start).collect();
        all.push(start);
        all.sort_by(f64::total_cmp);
        all
    };
    let (xs, ys) = (steps(free.x0, |d| d.x1), steps(free.y0, |d| d.y1));
    let mut best: Option<(f64, (f64, f64))> = None;
    for x in &xs {
        for y in &ys {
            if fits(*x, *y) && here.iter().all(|d| !d.overlaps(&at(*x, *y))) {
                let lost = (x - free.x0) * free.width() + (y - free.y0) * free.length();
                if best.is_none_or(|(least, _)| lost < least) {
                    best = Some((lost, (*x, *y)));
                }
            }
        }
    }
    best.map(|(_, corner)| corner)
}
