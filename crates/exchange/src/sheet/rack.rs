//! The rack, the shed's logger and a merchant's list as comma-separated files.

use mend_keel_core::timber::board::{
    Board, Defect, DefectKind, Details, Drying, Edges, Form, Grain, Origin, Rectangle,
};
use mend_keel_core::timber::species;

use super::{Loaded, load, optional, text, write};

/// A board as a row has it.
#[derive(Debug, Clone, PartialEq)]
pub struct BoardRow {
    pub tag: String,
    pub stock: Board,
    pub details: Details,
    pub note: String,
    pub place: String,
}

const BOARD: [&str; 25] = [
    "tag",
    "species",
    "form",
    "length",
    "width",
    "thickness",
    "dressed",
    "edges",
    "grain",
    "ring_angle",
    "drying",
    "dried_since",
    "moisture",
    "sweep",
    "defects",
    "origin",
    "note",
    "merchant",
    "lot",
    "from_boat",
    "from_member",
    "from_year",
    "papers",
    "price",
    "place",
];

/// Largest board taken, mm.
const LARGEST: (f64, f64, f64) = (20_000.0, 2_600.0, 1_000.0);

/// Writes boards.
pub fn write_boards<'b>(rows: impl Iterator<Item = &'b BoardRow>) -> String {
    let defect = |d: &Defect| format!("{} {} {} {} {}", d.kind.code(), d.x0, d.x1, d.y0, d.y1);
    write(
        &BOARD,
        rows.map(|r| {
            let (s, d) = (&r.stock, &r.details);
            vec![
                text(&r.tag),
                s.species.clone(),
                d.form.code().into(),
                s.length.to_string(),
                s.width.to_string(),
                s.thickness.to_string(),
                optional(d.dressed),
                d.edges.code().into(),
                s.grain.code().into(),
                optional(d.ring_angle),
                s.drying.code().into(),
                d.dried_since.clone().unwrap_or_default(),
                optional(s.moisture),
                d.sweep.to_string(),
                d.defects.iter().map(defect).collect::<Vec<_>>().join("; "),
                s.origin.code().into(),
                text(&r.note),
                text(&d.merchant),
                text(&d.lot),
                text(&d.from_boat),
                text(&d.from_member),
                d.from_year.map_or(String::new(), |y| y.to_string()),
                text(&d.papers),
                optional(d.price),
                text(&r.place),
            ]
        }),
    )
}

fn defects(cell: &str) -> Result<Vec<Defect>, String> {
    cell.split(';')
        .map(str::trim)
        .filter(|part| !part.is_empty())
        .map(|part| {
            let words: Vec<&str> = part.split_whitespace().collect();
            let [kind, x0, x1, y0, y1] = words.as_slice() else {
                return Err("write each defect as kind x0 x1 y0 y1, parted by semicolons".to_owned());
            };
            let mm = |t: &str| t.parse::<f64>().map_err(|_| format!("“{t}” is no number of mm"));
            let kind = DefectKind::from_code(kind).ok_or_else(|| format!("“{kind}” is no kind of defect"))?;
            Ok(Defect { kind, x0: mm(x0)?, x1: mm(x1)?, y0: mm(y0)?, y1: mm(y1)? })
        })
        .collect()
}

/// Reads boards: tag, species, length, width and thickness must be there.
pub fn read_boards(bytes: &[u8]) -> Loaded<BoardRow> {
    load(bytes, &["tag", "species", "length", "width", "thickness"], |c| {
        let tag = c.needed("tag").map(str::to_owned);
        if tag.as_ref().is_some_and(|t| t.chars().count() > 60) {
            c.fault("tag", "must have no more than 60 characters");
        }
        let wood = c.choice("species", species::or_unknown);
        let mut size = |column: &str, most: f64| {
            let mm = c.length(column)?;
            if mm > 0.0 && mm <= most {
                return Some(mm);
            }
            c.fault(column, format!("must be more than 0 and no more than {most:.0} mm"));
            None
        };
        let (length, width, thickness) =
            (size("length", LARGEST.0), size("width", LARGEST.1), size("thickness", LARGEST.2));
        let form = if c.is_empty("form") { Some(Form::Board) } else { c.choice("form", Form::from_code) };
        let edges = if c.is_empty("edges") { Some(Edges::Straight) } else { c.choice("edges", Edges::from_code) };
        let grain = if c.is_empty("grain") { Some(Grain::Unknown) } else { c.choice("grain", Grain::from_code) };
        let drying = if c.is_empty("drying") { Some(Drying::Unknown) } else { c.choice("drying", Drying::from_code) };
        let origin = if c.is_empty("origin") { Some(Origin::New) } else { c.choice("origin", Origin::from_code) };
        let found = match defects(c.raw("defects")) {
            Ok(found) => found,
            Err(why) => {
                c.fault("defects", why);
                Vec::new()
            }
        };
        let year = c.optional_number("from_year");
        let details = Details {
            form: form?,
            edges: edges?,
            dressed: c.optional_number("dressed"),
            ring_angle: c.optional_number("ring_angle"),
            dried_since: Some(c.text("dried_since")).filter(|d| !d.is_empty()),
            sweep: c.optional_number("sweep").unwrap_or(0.0),
            defects: found,
            merchant: c.text("merchant"),
            lot: c.text("lot"),
            from_boat: c.text("from_boat"),
            from_member: c.text("from_member"),
            from_year: year.map(|y| y as i32),
            papers: c.text("papers"),
            price: c.optional_number("price"),
            plies: None,
        };
        let moisture = c.optional_number("moisture");
        if moisture.is_some_and(|m| !(0.0..=200.0).contains(&m)) {
            c.fault("moisture", "must be between 0 and 200");
        }
        let stock = Board {
            species: wood?,
            length: length?,
            width: width?,
            thickness: thickness?,
            grain: grain?,
            drying: drying?,
            moisture,
            origin: origin?,
        };
        if let Err(e) = details.check(Rectangle { length: stock.length, width: stock.width }) {
            let column = if e.field.starts_with("defects") { "defects" } else { e.field.as_str() }.to_owned();
            c.fault(&column, e.message);
        }
        Some(BoardRow { tag: tag?, stock, details, note: c.text("note"), place: c.text("place") })
    })
}

/// An hour of the shed's logger.
#[derive(Debug, Clone, PartialEq)]
pub struct AirRow {
    /// As the file says; the caller reads it as a time.
    pub at: String,
    pub temperature: f64,
    pub humidity: f64,
}

pub fn write_air<'a>(rows: impl Iterator<Item = &'a AirRow>) -> String {
    write(
        &["time", "temperature", "humidity"],
        rows.map(|r| vec![r.at.clone(), r.temperature.to_string(), r.humidity.to_string()]),
    )
}

/// Reads a logger's file: time, temperature in °C, humidity in %.
pub fn read_air(bytes: &[u8]) -> Loaded<AirRow> {
    load(bytes, &["time", "temperature", "humidity"], |c| {
        let at = c.needed("time").map(str::to_owned);
        let (temperature, humidity) = (c.within("temperature", -40.0, 80.0), c.within("humidity", 0.0, 100.0));
        Some(AirRow { at: at?, temperature: temperature?, humidity: humidity? })
    })
}

/// What a merchant asks, by the m³.
#[derive(Debug, Clone, PartialEq)]
pub struct PriceRow {
    pub species: String,
    /// Rough, mm.
    pub thickness: f64,
    /// Widest and longest, mm.
    pub width: f64,
    pub length: f64,
    pub per_cubic_metre: f64,
}

pub fn write_prices<'a>(rows: impl Iterator<Item = &'a PriceRow>) -> String {
    write(
        &["species", "thickness", "width", "length", "per_cubic_metre"],
        rows.map(|r| {
            let numbers = [r.thickness, r.width, r.length, r.per_cubic_metre].map(|n| n.to_string());
            [vec![r.species.clone()], numbers.to_vec()].concat()
        }),
    )
}

/// Reads a merchant's list.
pub fn read_prices(bytes: &[u8]) -> Loaded<PriceRow> {
    load(bytes, &["species", "thickness", "width", "length", "per_cubic_metre"], |c| {
        let wood = c.choice("species", |id| species::find(id).ok());
        let (thickness, width, length) = (c.length("thickness"), c.length("width"), c.length("length"));
        let price = c.number("per_cubic_metre");
        let sizes = [("thickness", thickness), ("width", width), ("length", length), ("per_cubic_metre", price)];
        for (column, _) in sizes.iter().filter(|(_, v)| v.is_some_and(|v| v <= 0.0)) {
            c.fault(column, "must be more than 0");
        }
        Some(PriceRow {
            species: wood?.id.clone(),
            thickness: thickness?,
            width: width?,
            length: length?,
            per_cubic_metre: price?,
        })
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn board() -> BoardRow {
        BoardRow {
            tag: "L-07/1".into(),
            stock: Board {
                species: "western_larch".into(),
                length: 2_400.5,
                width: 180.0,
                thickness: 32.0,
                grain: Grain::Rift,
                drying: Drying::Green,
                moisture: None,
                origin: Origin::Salvage,
            },
            details: Details {
                sweep: -35.0,
                defects: vec![Defect { kind: DefectKind::SmallKnot, x0: 10.0, x1: 22.5, y0: 4.0, y1: 16.0 }],
                from_boat: "Brindle Wren; her old ceiling, \"port\"".into(),
                from_year: Some(1929),
                papers: "=1+1".into(),
                ..Details::default()
            },
            note: "line one\nline two".into(),
            place: "short rack".into(),
        }
    }

    #[test]
    fn a_board_comes_back_as_it_went() {
        let written = write_boards([board()].iter());
        let read = read_boards(written.as_bytes());
        assert_eq!((read.faults, read.rows[0].1.clone()), (vec![], board()));
    }

    #[test]
    fn faults_are_told_by_line_and_column_and_cost_only_their_row() {
        let file = "tag,species,length,width,thickness,defects\nA,teak,900,100,20,\nB,balsa,900,-4,20,\nC,teak,900,100,20,knot 0 10 0\nD,teak,900,100,20,rot 800 950 0 10\n";
        let read = read_boards(file.as_bytes());
        assert_eq!(read.rows.len(), 1);
        let told: Vec<(u64, &str)> = read.faults.iter().map(|f| (f.line, f.column.as_str())).collect();
        assert_eq!(told, [(3, "species"), (3, "width"), (4, "defects"), (5, "defects")]);
    }

    #[test]
    fn a_logger_and_a_price_list_are_read_and_nonsense_is_told() {
        let air = read_air(b"time;temperature;humidity\n2026-03-01T10:00:00Z;12,5;71\n2026-03-01T11:00:00Z;12;171\n");
        assert_eq!((air.rows[0].1.temperature, air.faults[0].column.as_str()), (12.5, "humidity"));
        let list =
            read_prices(b"species,thickness,width,length,per_cubic_metre\nteak,27,200,3000,9000\nteak,27,200,3000,0\n");
        assert_eq!((list.rows.len(), list.faults[0].line), (1, 3));
        let again = read_prices(write_prices(list.rows.iter().map(|(_, r)| r)).as_bytes());
        assert_eq!(again.rows[0].1, list.rows[0].1);
    }
}
