//! The outline of a piece out of whatever a file holds: lines joined end to end, in a known unit, closed, and crossing nowhere.

use mend_keel_core::geometry::{Point, signed_area};
use mend_keel_core::shape::spiling;
use mend_keel_core::units::MM_PER_INCH;

/// One line of a file.
#[derive(Debug, Clone, PartialEq)]
pub struct Path {
    pub points: Vec<Point>,
    pub closed: bool,
}

/// Everything that was read of a file.
#[derive(Debug, Clone, PartialEq)]
pub struct Outlines {
    /// Millimetres to the file's unit; `None` where it does not say.
    pub per_unit: Option<f64>,
    pub paths: Vec<Path>,
    /// Things that are no lines.
    pub passed_over: usize,
}

/// A unit that may be asked for.
pub const UNITS: [(&str, &str, f64); 4] =
    [("mm", "Millimetres", 1.0), ("cm", "Centimetres", 10.0), ("m", "Metres", 1_000.0), ("in", "Inches", MM_PER_INCH)];

/// Why a file gives no outline, and what to do.
#[derive(Debug, Clone, PartialEq)]
pub enum Fault {
    /// It does not say its unit: ask.
    Unit,
    Refused(String),
}

/// Ends this near to each other meet, mm.
const MEET: f64 = 0.2;

/// The largest closed outline, in mm. `unit` is used where the file does not say its own.
pub fn largest(found: &Outlines, unit: Option<f64>) -> Result<Vec<Point>, Fault> {
    let refuse = |text: String| Err(Fault::Refused(text));
    if found.paths.is_empty() {
        return refuse("there are no lines in it".into());
    }
    let Some(per_unit) = found.per_unit.or(unit) else {
        return Err(Fault::Unit);
    };
    let scaled: Vec<Path> = found
        .paths
        .iter()
        .map(|path| Path {
            points: path.points.iter().map(|p| [p[0] * per_unit, p[1] * per_unit]).collect(),
            ..path.clone()
        })
        .collect();
    let (closed, open) = joined(scaled);
    let best = closed.into_iter().max_by(|a, b| signed_area(a).abs().total_cmp(&signed_area(b).abs()));
    let Some(mut outline) = best else {
        let gap = open.iter().map(|p| ends_apart(p)).fold(f64::INFINITY, f64::min);
        let (a, b) = open
            .iter()
            .min_by(|p, q| ends_apart(p).total_cmp(&ends_apart(q)))
            .map_or(([0.0; 2], [0.0; 2]), |p| (p[0], p[p.len() - 1]));
        return refuse(format!(
            "the outline is not closed: its ends at {:.1}, {:.1} and {:.1}, {:.1} are {gap:.1} mm apart",
            a[0], a[1], b[0], b[1]
        ));
    };
    outline.dedup_by(|a, b| (a[0] - b[0]).hypot(a[1] - b[1]) < 1e-6);
    if outline.len() > 2 && {
        let (a, b) = (outline[0], outline[outline.len() - 1]);
        (a[0] - b[0]).hypot(a[1] - b[1]) < 1e-6
    } {
        outline.pop();
    }
    if let Some((i, j)) = spiling::crossing(&outline) {
        let (p, q) = (outline[i], outline[j]);
        return refuse(format!(
            "the outline crosses itself: the side from {:.1}, {:.1} and the one from {:.1}, {:.1}",
            p[0], p[1], q[0], q[1]
        ));
    }
    Ok(outline)
}

fn ends_apart(points: &[Point]) -> f64 {
    match (points.first(), points.last()) {
        (Some(a), Some(b)) if points.len() > 1 => (a[0] - b[0]).hypot(a[1] - b[1]),
        _ => f64::INFINITY,
    }
}

/// Open lines put end to end where they meet: closed outlines, and what stays open.
fn joined(paths: Vec<Path>) -> (Vec<Vec<Point>>, Vec<Vec<Point>>) {
    let (mut closed, mut open): (Vec<Vec<Point>>, Vec<Vec<Point>>) = Default::default();
    let mut left: Vec<Vec<Point>> = Vec::new();
    for path in paths {
        if path.closed { closed.push(path.points) } else { left.push(path.points) }
    }
    let near = |a: Point, b: Point| (a[0] - b[0]).hypot(a[1] - b[1]) <= MEET;
    while let Some(mut chain) = left.pop() {
        loop {
            let (head, tail) = (chain[0], chain[chain.len() - 1]);
            if chain.len() > 2 && near(head, tail) {
                break;
            }
            let next = left.iter().position(|p| {
                let (a, b) = (p[0], p[p.len() - 1]);
                near(a, tail) || near(b, tail) || near(a, head) || near(b, head)
            });
            let Some(i) = next else { break };
            let mut more = left.swap_remove(i);
            if near(more[0], tail) {
                chain.extend(more.into_iter().skip(1));
            } else if near(more[more.len() - 1], tail) {
                more.reverse();
                chain.extend(more.into_iter().skip(1));
            } else {
                if near(more[0], head) {
                    more.reverse();
                }
                more.pop();
                more.extend(chain);
                chain = more;
            }
        }
        if chain.len() > 2 && near(chain[0], chain[chain.len() - 1]) {
            chain.pop();
            closed.push(chain);
        } else {
            open.push(chain);
        }
    }
    (closed, open)
}

/// An outline as CSV: x, y with a heading, one point to a line. `unit` in a third column says what the numbers are.
pub fn write_csv(outline: &[Point]) -> String {
    let mut out = String::from("x,y,unit\n");
    for p in outline {
        out.push_str(&format!("{},{},mm\n", p[0], p[1]));
    }
    out
}

/// Most points read of a file.
const MOST: usize = 5_000;

/// Points of a CSV: columns `x` and `y`, and `unit` where the file says it (mm, cm, m or in). A file without headings has x and y
/// in its first two columns. Faults name line and column.
pub fn read_csv(bytes: &[u8]) -> Result<Outlines, String> {
    let text = String::from_utf8_lossy(bytes);
    let text = text.trim_start_matches('\u{feff}');
    let delimiter =
        if text.lines().next().is_some_and(|l| l.matches(';').count() > l.matches(',').count()) { b';' } else { b',' };
    let mut reader = csv::ReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .delimiter(delimiter)
        .trim(csv::Trim::All)
        .from_reader(text.as_bytes());
    let mut columns = (0, 1, None);
    let mut per_unit: Option<f64> = None;
    let mut points = Vec::new();
    for (i, record) in reader.records().enumerate() {
        let record = record.map_err(|e| format!("cannot be read: {e}"))?;
        let line = i + 1;
        let number = |column: usize| -> Result<f64, String> {
            let cell = record.get(column).unwrap_or_default();
            let plain = if delimiter == b';' { cell.replace(',', ".") } else { cell.to_owned() };
            plain.parse::<f64>().ok().filter(|v| v.is_finite() && v.abs() < 1e9).ok_or_else(|| {
                format!(
                    "line {line}, column {}: “{}” is no number",
                    column + 1,
                    cell.chars().take(20).collect::<String>()
                )
            })
        };
        if i == 0
            && record
                .iter()
                .take(2)
                .any(|cell| cell.parse::<f64>().is_err() && cell.replace(',', ".").parse::<f64>().is_err())
        {
            let at = |name: &str| record.iter().position(|cell| cell.eq_ignore_ascii_case(name));
            let (Some(x), Some(y)) = (at("x"), at("y")) else {
                return Err("line 1: the headings must have x and y".into());
            };
            columns = (x, y, at("unit"));
            continue;
        }
        if record.iter().all(str::is_empty) {
            continue;
        }
        if points.len() >= MOST {
            return Err(format!("takes no more than {MOST} points"));
        }
        if let Some(code) = columns.2.and_then(|c| record.get(c)).filter(|c| !c.is_empty()) {
            let known = UNITS.iter().find(|u| u.0.eq_ignore_ascii_case(code));
            let Some(unit) = known else {
                return Err(format!(
                    "line {line}: “{}” is none of mm, cm, m, in",
                    code.chars().take(20).collect::<String>()
                ));
            };
            if per_unit.is_some_and(|p| p != unit.2) {
                return Err(format!("line {line}: the unit changes within the file"));
            }
            per_unit = Some(unit.2);
        }
        points.push([number(columns.0)?, number(columns.1)?]);
    }
    if points.len() < 3 {
        return Err(format!("needs at least 3 points, has {}", points.len()));
    }
    // A list of points goes all round: its last joins its first.
    Ok(Outlines { per_unit, paths: vec![Path { points, closed: true }], passed_over: 0 })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn open(points: &[Point]) -> Path {
        Path { points: points.to_vec(), closed: false }
    }

    fn of(paths: Vec<Path>) -> Outlines {
        Outlines { per_unit: Some(1.0), paths, passed_over: 0 }
    }

    #[test]
    fn loose_lines_are_joined_whichever_way_they_run() {
        let sides = vec![
            open(&[[0.0, 0.0], [100.0, 0.0]]),
            open(&[[100.0, 50.0], [100.1, 0.0]]),
            open(&[[0.0, 50.0], [0.0, 0.0]]),
            open(&[[100.0, 50.0], [0.0, 50.0]]),
        ];
        let outline = largest(&of(sides), None).unwrap();
        assert_eq!(outline.len(), 4);
        assert!((signed_area(&outline).abs() - 5_000.0).abs() < 10.0);
    }

    #[test]
    fn what_is_wrong_with_an_outline_is_said_with_its_place() {
        let gap = of(vec![open(&[[0.0, 0.0], [100.0, 0.0], [100.0, 50.0], [0.0, 50.0], [0.0, 7.0]])]);
        let Err(Fault::Refused(text)) = largest(&gap, None) else { panic!("it is not closed") };
        assert!(text.contains("not closed") && text.contains("7.0 mm apart"), "{text}");
        let bow = Path { points: vec![[0.0, 0.0], [100.0, 50.0], [100.0, 0.0], [0.0, 50.0]], closed: true };
        let Err(Fault::Refused(text)) = largest(&of(vec![bow.clone()]), None) else { panic!("it crosses") };
        assert!(text.contains("crosses itself"), "{text}");
        let nowhere = Outlines { per_unit: None, ..of(vec![bow]) };
        assert_eq!(largest(&nowhere, None), Err(Fault::Unit));
        assert!(matches!(largest(&of(vec![]), None), Err(Fault::Refused(_))));
    }

    #[test]
    fn a_csv_is_read_with_its_unit_and_its_faults_have_lines() {
        let square = [[0.0, 0.0], [4.0, 0.0], [4.0, 2.0], [0.0, 2.0]];
        let read = read_csv(write_csv(&square).as_bytes()).unwrap();
        assert_eq!(largest(&read, None).unwrap(), square);
        let inches = read_csv(b"X;Y\n0;0\n4,5;0\n4,5;2\n0;2\n").unwrap();
        assert_eq!(inches.per_unit, None);
        assert_eq!(largest(&inches, Some(25.4)).unwrap()[1], [114.3, 0.0]);
        assert_eq!(read_csv(b"x,y\n0,0\n4,z\n").unwrap_err(), "line 3, column 2: “z” is no number");
        assert!(read_csv(b"x,y\n1,2\n").unwrap_err().contains("at least 3"));
        assert!(read_csv(b"x,y,unit\n0,0,mm\n1,0,in\n1,1,mm\n").unwrap_err().contains("changes"));
        assert!(read_csv(b"a,b\n0,0\n").unwrap_err().contains("x and y"));
        assert!(read_csv(&[0xff, 0xfe, 0x00]).is_err());
    }
}
