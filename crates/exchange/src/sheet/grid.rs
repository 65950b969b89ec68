//! The grid: width of every strake at every frame, spacing of the frames, and which of them were measured.

use mend_keel_core::grid::edit::Edit;
use mend_keel_core::grid::{Address, Shell, Side};

use super::{Fault, Loaded, load, write, yes_no};

/// One width, or one frame's distance from the frame before it, mm.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum GridRow {
    Width { at: Address, mm: f64, measured: bool },
    Spacing { frame: u32, mm: f64, measured: bool },
}

const COLUMNS: [&str; 6] = ["what", "side", "strake", "frame", "mm", "measured"];

/// Writes a shell: spacings first, then widths from the keel up.
pub fn write_grid(shell: &Shell) -> String {
    let spacings = (2..=shell.frame_count()).map(|frame| {
        let mm = shell.frame_x(frame) - shell.frame_x(frame - 1);
        let measured = shell.measured_frames.contains(&frame);
        vec!["spacing".into(), String::new(), String::new(), frame.to_string(), mm.to_string(), yes_no(measured)]
    });
    let cells = Side::BOTH.into_iter().flat_map(|side| {
        (1..=shell.strake_count())
            .flat_map(move |strake| (1..=shell.frame_count()).map(move |frame| Address { side, strake, frame }))
    });
    let widths = cells.map(|at| {
        vec![
            "width".into(),
            at.side.code().into(),
            at.strake.to_string(),
            at.frame.to_string(),
            shell.width(at).to_string(),
            yes_no(shell.measured.contains(&at)),
        ]
    });
    write(&COLUMNS, spacings.chain(widths))
}

/// Reads rows of a grid. A file need not hold all of it.
pub fn read_grid(bytes: &[u8]) -> Loaded<GridRow> {
    load(bytes, &["what", "frame", "mm"], |c| {
        let (frame, mm) = (c.whole("frame"), c.length("mm"));
        // A column that is not there speaks of measured figures: nobody writes down generated ones.
        let measured = c.yes("measured") || !c.columns.contains_key("measured");
        match c.choice("what", |what| ["width", "spacing"].into_iter().find(|w| *w == what))? {
            "spacing" => Some(GridRow::Spacing { frame: frame?, mm: mm?, measured }),
            _ => {
                let side = c.choice("side", |s| match s.to_lowercase().as_str() {
                    "p" | "port" => Some(Side::Port),
                    "s" | "starboard" => Some(Side::Starboard),
                    _ => None,
                });
                let strake = c.whole("strake");
                Some(GridRow::Width { at: Address { side: side?, strake: strake?, frame: frame? }, mm: mm?, measured })
            }
        }
    })
}

/// Lays rows over a shell. What the file calls generated is put where it says without counting as measured.
/// Faults name the line of the row that does not fit, whose shell is then as it was.
pub fn lay_over(shell: &Shell, rows: &[(u64, GridRow)]) -> (Shell, Vec<Fault>) {
    let mut laid = shell.clone();
    let mut faults = Vec::new();
    for (line, row) in rows {
        let (edit, measured, same) = match *row {
            GridRow::Width { at, mm, measured } => {
                let same = laid.place(at).is_ok() && (laid.width(at) - mm).abs() < 1e-9;
                (Edit::Width { at, mm }, measured, same)
            }
            GridRow::Spacing { frame, mm, measured } => {
                let there = frame >= 2 && frame <= laid.frame_count();
                let same = there && (laid.frame_x(frame) - laid.frame_x(frame - 1) - mm).abs() < 1e-9;
                (Edit::Spacing { frame, mm }, measured, same)
            }
        };
        // A generated figure that is already so stays generated, and costs nothing.
        if same && !measured {
            continue;
        }
        if let Err(e) = edit.apply(&mut laid) {
            let column = if matches!(e.field.as_str(), "width" | "spacing") { "mm" } else { e.field.as_str() };
            faults.push(Fault { line: *line, column: column.to_owned(), message: e.message });
            continue;
        }
        match (edit, measured) {
            (Edit::Width { at, .. }, false) => {
                laid.measured.remove(&at);
            }
            (Edit::Spacing { frame, .. }, false) => {
                laid.measured_frames.remove(&frame);
            }
            _ => {}
        }
    }
    (laid, faults)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn shell() -> Shell {
        let frames: Vec<f64> = (0..8).map(|f| f64::from(f) * 300.0).collect();
        Shell::new(
            frames,
            (0..=6).map(|row| (0..8).map(|f| f64::from(row) * (90.0 + f64::from(f))).collect()).collect(),
        )
    }

    #[test]
    fn a_grid_of_another_boat_does_not_fit_and_says_where() {
        let csv = "what,side,strake,frame,mm\nwidth,port,3,2,4\nwidth,port,9,2,120\nspacing,,,4,310\n";
        let loaded = read_grid(csv.as_bytes());
        let (laid, faults) = lay_over(&shell(), &loaded.rows);
        assert_eq!(faults.iter().map(|f| (f.line, f.column.as_str())).collect::<Vec<_>>(), [(2, "mm"), (3, "strake")]);
        assert!(laid.measured_frames.contains(&4) && (laid.frame_x(4) - laid.frame_x(3) - 310.0).abs() < 1e-9);
    }

    proptest! {
        #[test]
        fn a_grid_comes_back_as_it_went(edits in proptest::collection::vec((any::<bool>(), 1..7u32, 1..9u32, 40.0..300.0f64), 0..12)) {
            let mut measured = shell();
            for (port, strake, frame, mm) in edits {
                let side = if port { Side::Port } else { Side::Starboard };
                let _ = Edit::Width { at: Address { side, strake, frame }, mm }.apply(&mut measured);
                let _ = Edit::Spacing { frame, mm: mm + 40.0 }.apply(&mut measured);
            }
            let loaded = read_grid(write_grid(&measured).as_bytes());
            prop_assert!(loaded.faults.is_empty());
            let (laid, faults) = lay_over(&shell(), &loaded.rows);
            prop_assert!(faults.is_empty());
            prop_assert_eq!(&laid.measured, &measured.measured);
            prop_assert_eq!(&laid.measured_frames, &measured.measured_frames);
            for side in Side::BOTH {
                for strake in 1..=6 {
                    for frame in 1..=8 {
                        let at = Address { side, strake, frame };
                        prop_assert!((laid.width(at) - measured.width(at)).abs() < 1e-6);
                    }
                }
            }
        }
    }
}
