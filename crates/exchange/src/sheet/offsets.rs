//! The table of offsets: one row a line, one column a station. Lengths are mm, or feet-inches-eighths as builders
//! wrote them (`2-3-5`).

use csv::ReaderBuilder;
use mend_keel_core::grid::offsets::{Offsets, Row, RowKind};
use mend_keel_core::units::{LengthUnit, parse_length};

use super::{Fault, Loaded, delimiter, text, untext};

/// Writes a table: a first row of stations, then the lines.
pub fn write_offsets(table: &Offsets) -> String {
    let head = ["kind", "name", "at"].into_iter().map(str::to_owned).chain(table.stations.iter().map(f64::to_string));
    let rows = table.rows.iter().map(|row| {
        let values = row.values.iter().map(|v| v.map_or(String::new(), |v| v.to_string()));
        [row.kind.code().to_owned(), text(&row.name), row.at.to_string()].into_iter().chain(values).collect::<Vec<_>>()
    });
    let head: Vec<String> = head.collect();
    let names: Vec<&str> = head.iter().map(String::as_str).collect();
    super::write(&names, rows)
}

/// Reads a table. The first row holds `kind`, `name`, `at` and the stations; a bare number is in `unit`. Rows with a
/// fault are left out. The table as a whole still has to be checked.
pub fn read_offsets(bytes: &[u8], unit: LengthUnit) -> (Offsets, Vec<Fault>) {
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes);
    let mut reader =
        ReaderBuilder::new().flexible(true).has_headers(false).delimiter(delimiter(bytes)).from_reader(bytes);
    let mut loaded: Loaded<Row> = Loaded { rows: Vec::new(), faults: Vec::new() };
    let mut stations: Vec<f64> = Vec::new();
    for (n, record) in reader.records().enumerate() {
        let Ok(record) = record else {
            loaded.faults.push(Fault {
                line: n as u64 + 1,
                column: String::new(),
                message: "is not text in UTF-8".into(),
            });
            continue;
        };
        let line = record.position().map_or(n as u64 + 1, csv::Position::line);
        let mut faults = Vec::new();
        let mut fault = |column: String, message: String| faults.push(Fault { line, column, message });
        if n == 0 {
            for (i, cell) in record.iter().enumerate().skip(3) {
                match parse_length(cell, unit) {
                    Ok(mm) => stations.push(mm),
                    Err(e) => fault(format!("{}", i + 1), format!("station {}: {}", i - 2, e.message)),
                }
            }
            loaded.faults.append(&mut faults);
            continue;
        }
        if record.iter().all(|cell| cell.trim().is_empty()) {
            continue;
        }
        let kind = RowKind::from_code(record.get(0).unwrap_or_default().trim());
        if kind.is_none() {
            fault("kind".into(), "must be half_breadth, height, waterline or buttock".into());
        }
        let at = match record.get(2).unwrap_or_default().trim() {
            "" => 0.0,
            cell => parse_length(cell, unit).unwrap_or_else(|e| {
                fault("at".into(), e.message);
                0.0
            }),
        };
        let values = (0..stations.len())
            .map(|station| match record.get(station + 3).unwrap_or_default().trim() {
                "" | "-" | "–" => None,
                cell => match parse_length(untext(cell), unit) {
                    Ok(mm) => Some(mm),
                    Err(e) => {
                        fault(format!("{}", station + 4), e.message);
                        None
                    }
                },
            })
            .collect();
        let name = untext(record.get(1).unwrap_or_default()).to_owned();
        match kind {
            Some(kind) if faults.is_empty() => loaded.rows.push((line, Row { name, kind, at, values })),
            _ => loaded.faults.append(&mut faults),
        }
    }
    (Offsets { stations, rows: loaded.rows.into_iter().map(|r| r.1).collect() }, loaded.faults)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn feet_inches_and_eighths_are_read_as_builders_wrote_them() {
        let csv =
            "kind,name,at,0,3-0-0,6-0-0\nhalf_breadth,Sheer,,1-2-4,2-6-0,2-1-3\nheight,Sheer,,3-1-0,2-8-2,2-9-4\n";
        let (table, faults) = read_offsets(csv.as_bytes(), LengthUnit::Millimetre);
        assert!(faults.is_empty(), "{faults:?}");
        assert!((table.stations[1] - 914.4).abs() < 1e-9);
        assert!((table.rows[0].values[0].unwrap() - 14.5 * 25.4).abs() < 1e-9);
        table.check().unwrap();
    }

    #[test]
    fn a_cell_that_is_no_length_is_told_by_line_and_column() {
        let (table, faults) =
            read_offsets(b"kind,name,at,0,900\nheight,Sheer,,700,high\nheightt,Keel,,1,2\n", LengthUnit::Millimetre);
        assert_eq!(faults.iter().map(|f| (f.line, f.column.as_str())).collect::<Vec<_>>(), [(2, "5"), (3, "kind")]);
        assert!(table.rows.is_empty());
    }

    proptest! {
        #[test]
        fn a_table_comes_back_as_it_went(
            gaps in proptest::collection::vec(10.0..900.0f64, 2..8), name in "[A-Za-z =+'-]{1,12}",
            heights in proptest::collection::vec(proptest::option::of(-900.0..3_000.0f64), 8),
        ) {
            let stations: Vec<f64> = gaps.iter().scan(0.0, |x, gap| { *x += gap; Some(*x) }).collect();
            let values = heights.into_iter().take(stations.len()).collect::<Vec<_>>();
            let row = Row { name, kind: RowKind::Height, at: 0.0, values };
            let table = Offsets { rows: vec![row], stations };
            let (back, faults) = read_offsets(write_offsets(&table).as_bytes(), LengthUnit::Millimetre);
            prop_assert!(faults.is_empty(), "{:?}", faults);
            prop_assert_eq!(back, table);
        }

        #[test]
        fn no_bytes_break_the_reader(bytes in proptest::collection::vec(any::<u8>(), 0..300)) {
            let (table, _) = read_offsets(&bytes, LengthUnit::Inch);
            let _ = table.check();
        }
    }
}
