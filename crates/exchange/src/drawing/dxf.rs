//! Drawings as DXF, and outlines out of DXF files.

use std::io::Cursor;
use std::panic::{AssertUnwindSafe, catch_unwind};

use dxf::entities::{Entity, EntityType, Line as DxfLine, LwPolyline, Text};
use dxf::enums::{AcadVersion, Units};
use dxf::tables::Layer as DxfLayer;
use dxf::{Color, Drawing as Dxf, LwPolylineVertex, Point as DxfPoint};
use mend_keel_core::geometry::Point;
use mend_keel_core::units::MM_PER_INCH;

use super::outline::{Outlines, Path};
use super::{Drawing, Layer};

/// The drawing as DXF of the release of 2000: units millimetres, a layer for each kind of line, outlines as closed polylines.
pub fn write(drawing: &Drawing) -> Result<Vec<u8>, String> {
    let mut file = Dxf::new();
    file.header.version = AcadVersion::R2000;
    file.header.default_drawing_units = Units::Millimeters;
    for layer in Layer::ALL.iter().filter(|l| drawing.lines.iter().any(|line| line.layer == **l)) {
        file.add_layer(DxfLayer {
            name: layer.name().to_owned(),
            color: Color::from_index(layer.colour()),
            ..Default::default()
        });
    }
    file.add_layer(DxfLayer { name: "TEXT".to_owned(), color: Color::from_index(7), ..Default::default() });
    if drawing.stamp.is_some() {
        file.add_layer(DxfLayer { name: "STAMP".to_owned(), color: Color::from_index(1), ..Default::default() });
    }
    let mut add = |layer: &str, specific: EntityType| {
        let mut entity = Entity::new(specific);
        entity.common.layer = layer.to_owned();
        file.add_entity(entity);
    };
    for line in drawing.lines.iter().filter(|l| l.points.len() > 1) {
        if let ([a, b], false) = (line.points.as_slice(), line.closed) {
            let point = |p: &Point| DxfPoint::new(p[0], p[1], 0.0);
            add(line.layer.name(), EntityType::Line(DxfLine::new(point(a), point(b))));
            continue;
        }
        let vertices =
            line.points.iter().map(|p| LwPolylineVertex { x: p[0], y: p[1], ..Default::default() }).collect();
        let mut polyline = LwPolyline { vertices, ..Default::default() };
        polyline.set_is_closed(line.closed);
        add(line.layer.name(), EntityType::LwPolyline(polyline));
    }
    for label in &drawing.labels {
        // The format knows no line breaks in a text.
        let value: String = label.text.chars().map(|c| if c.is_control() { ' ' } else { c }).collect();
        let location = DxfPoint::new(label.at[0], label.at[1], 0.0);
        add("TEXT", EntityType::Text(Text { location, text_height: label.height, value, ..Default::default() }));
    }
    for stamp in drawing.stamps() {
        let location = DxfPoint::new(stamp.at[0], stamp.at[1], 0.0);
        let value = stamp.text.to_owned();
        let text = Text { location, text_height: stamp.height, rotation: stamp.turn, value, ..Default::default() };
        add("STAMP", EntityType::Text(text));
    }
    let mut bytes = Cursor::new(Vec::new());
    file.save(&mut bytes).map_err(|e| format!("the DXF could not be written: {e}"))?;
    Ok(bytes.into_inner())
}

/// Most entities read of a file.
const MOST: usize = 50_000;
/// An arc is followed by chords this far off it at most, mm of a millimetre file.
const CHORD: f64 = 0.05;

/// Lines and outlines of a DXF, and millimetres to its unit where it says. Arcs and bulges are followed by chords.
pub fn read(bytes: &[u8]) -> Result<Outlines, String> {
    // A file from anywhere: whatever its reader does, the request goes on.
    let loaded = catch_unwind(AssertUnwindSafe(|| Dxf::load(&mut Cursor::new(bytes))));
    let file = match loaded {
        Ok(Ok(file)) => file,
        Ok(Err(e)) => return Err(format!("this is no DXF that can be read: {e}")),
        Err(_) => return Err("this is no DXF that can be read".to_owned()),
    };
    let per_unit = match file.header.default_drawing_units {
        Units::Millimeters => Some(1.0),
        Units::Centimeters => Some(10.0),
        Units::Decimeters => Some(100.0),
        Units::Meters => Some(1_000.0),
        Units::Inches => Some(MM_PER_INCH),
        Units::Feet => Some(12.0 * MM_PER_INCH),
        _ => None,
    };
    let mut paths = Vec::new();
    let mut passed_over = 0;
    for entity in file.entities() {
        if paths.len() >= MOST {
            return Err(format!("has more than {MOST} lines: save only the outline"));
        }
        let path = match &entity.specific {
            EntityType::Line(l) => Some(Path { points: vec![[l.p1.x, l.p1.y], [l.p2.x, l.p2.y]], closed: false }),
            EntityType::LwPolyline(p) => {
                let corners: Vec<(Point, f64)> = p.vertices.iter().map(|v| ([v.x, v.y], v.bulge)).collect();
                Some(bulged(&corners, p.is_closed()))
            }
            EntityType::Polyline(p) => {
                let corners: Vec<(Point, f64)> =
                    p.vertices().map(|v| ([v.location.x, v.location.y], v.bulge)).collect();
                Some(bulged(&corners, p.is_closed()))
            }
            EntityType::Circle(c) => {
                Some(Path { points: arc([c.center.x, c.center.y], c.radius, 0.0, 360.0, false), closed: true })
            }
            EntityType::Arc(a) => {
                let sweep = (a.end_angle - a.start_angle).rem_euclid(360.0);
                Some(Path {
                    points: arc([a.center.x, a.center.y], a.radius, a.start_angle, sweep, true),
                    closed: false,
                })
            }
            _ => None,
        };
        match path {
            Some(path) if path.points.iter().flatten().all(|v| v.is_finite()) && path.points.len() > 1 => {
                paths.push(path)
            }
            _ => passed_over += 1,
        }
    }
    Ok(Outlines { per_unit, paths, passed_over })
}

/// Points of an arc, angles in degrees; its last point too when it is open.
fn arc(centre: Point, radius: f64, start: f64, sweep: f64, open: bool) -> Vec<Point> {
    let step = 2.0 * (1.0 - (CHORD / radius.abs().max(2.0 * CHORD)).min(1.0)).acos();
    let count = (sweep.to_radians().abs() / step.max(0.01)).ceil().clamp(2.0, 720.0) as u32;
    let last = if open { count } else { count - 1 };
    (0..=last)
        .map(|k| (start + sweep * f64::from(k) / f64::from(count)).to_radians())
        .map(|angle| [centre[0] + radius * angle.cos(), centre[1] + radius * angle.sin()])
        .collect()
}

/// A polyline whose sides may be arcs: a bulge is the tangent of a quarter of the angle the side turns through.
fn bulged(corners: &[(Point, f64)], closed: bool) -> Path {
    let mut points = Vec::new();
    for (i, (a, bulge)) in corners.iter().enumerate() {
        points.push(*a);
        let next = if i + 1 < corners.len() { Some(corners[i + 1].0) } else { closed.then(|| corners[0].0) };
        let Some(b) = next.filter(|b| bulge.abs() > 1e-9 && b != a) else { continue };
        let turn = 4.0 * bulge.atan();
        let chord = (b[0] - a[0]).hypot(b[1] - a[1]);
        let radius = chord / (2.0 * (turn / 2.0).sin());
        let rise = radius * (turn / 2.0).cos();
        let (ux, uy) = ((b[0] - a[0]) / chord, (b[1] - a[1]) / chord);
        let centre = [(a[0] + b[0]) / 2.0 - uy * rise, (a[1] + b[1]) / 2.0 + ux * rise];
        let start = (a[1] - centre[1]).atan2(a[0] - centre[0]).to_degrees();
        let curve = arc(centre, radius.abs(), start, turn.to_degrees(), true);
        points.extend(curve.iter().skip(1).take(curve.len().saturating_sub(2)));
    }
    Path { points, closed }
}

#[cfg(test)]
mod tests {
    use super::super::tests::piece;
    use super::*;

    #[test]
    fn a_dxf_of_ours_opens_again_with_the_same_coordinates_layers_and_units() {
        let drawing = piece();
        let bytes = write(&drawing).unwrap();
        let file = Dxf::load(&mut Cursor::new(&bytes)).unwrap();
        assert_eq!(file.header.default_drawing_units, Units::Millimeters);
        let layers: Vec<&str> = file.layers().map(|l| l.name.as_str()).collect();
        assert!(["CUT", "FRAMES", "HOLES", "TEXT"].iter().all(|name| layers.contains(name)), "{layers:?}");
        let cut = file.entities().find(|e| e.common.layer == "CUT").unwrap();
        let EntityType::LwPolyline(polyline) = &cut.specific else { panic!("an outline is a polyline") };
        let read: Vec<Point> = polyline.vertices.iter().map(|v| [v.x, v.y]).collect();
        assert!(polyline.is_closed() && read == drawing.lines[0].points);
        let again = super::read(&bytes).unwrap();
        assert_eq!((again.per_unit, again.passed_over), (Some(1.0), 1));
        assert_eq!(again.paths[0].points, drawing.lines[0].points);
    }

    #[test]
    fn a_bulge_is_followed_round_its_arc() {
        // A half circle on a diameter of 200 closes over itself.
        let path = bulged(&[([0.0, 0.0], 1.0), ([200.0, 0.0], 0.0)], true);
        assert!(path.points.len() > 20);
        assert!(path.points.iter().all(|p| ((p[0] - 100.0).hypot(p[1]) - 100.0).abs() < 0.06));
        assert!(path.points.iter().any(|p| p[1] < -99.0));
    }

    #[test]
    fn rubbish_is_refused_in_words() {
        for bytes in [&b""[..], b"not a drawing", b"0\nSECTION\n2\nENTITIES\n0\nLWPOLYLINE\n90\n-5\n", &[0xff; 300]] {
            match read(bytes) {
                Err(e) => assert!(!e.is_empty()),
                Ok(found) => assert!(found.paths.is_empty()),
            }
        }
    }
}
