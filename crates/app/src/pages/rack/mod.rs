//! Rack: the yard's boards with all that is known of them; putting one in, changing it, measuring it; its offcuts.

pub mod air;
pub mod buying;
pub mod cut;
pub mod files;
pub mod nest;

use askama::Template;
use mend_keel_core::InputError;
use mend_keel_core::timber::board::{
    Board as Stock, BoardState, Defect, DefectKind, Details, Drying, Edges, Form, Grain, Origin, Rectangle,
    air_drying_days,
};
use mend_keel_core::timber::{measure, moisture, species};
use mend_keel_core::units::{LengthUnit, parse_length};
use mend_keel_store::boards::{self, Board, BoardCut, NewBoard};
use mend_keel_store::{StoreError, accounts, quotes};
use rocket::{get, post};

use crate::view::{self, Units, board as drawing, chart};
use crate::web::auth::Crew;
use crate::web::choices::{Choices, pairs, timber_choices};
use crate::web::desk::{Desk, Page, render, render_faulty};
use crate::web::error::{Answer, AppError, Result};
use crate::web::form::{Faults, NAME_LIMIT, NOTE_LIMIT, Posted, Reader, Submission, Typed, day};
use crate::web::photos;

/// The pages of the rack, as tabs.
pub fn tabs() -> Vec<(&'static str, &'static str)> {
    vec![
        ("/rack", "Boards"),
        ("/rack/cut", "For the saw"),
        ("/rack/nest", "Sheets"),
        ("/rack/air", "Moisture"),
        ("/rack/buying", "Buying"),
        ("/rack/files", "Files and labels"),
    ]
}

#[derive(Template)]
#[template(path = "rack/list.html")]
struct List {
    page: Page,
    tabs: Vec<(&'static str, &'static str)>,
    rows: Vec<Row>,
    volume: String,
    missing_papers: usize,
    find: String,
    fault: String,
}

struct Row {
    id: i64,
    tag: String,
    form: &'static str,
    species: String,
    size: String,
    grain: &'static str,
    drying: &'static str,
    moisture: String,
    origin: String,
    place: String,
    state: BoardState,
    no_papers: bool,
}

/// A trade-controlled board with nothing said of its papers.
fn no_papers(b: &Board) -> bool {
    b.details.papers.is_empty() && species::find(&b.species).is_ok_and(|s| s.trade_controlled())
}

fn row(units: Units, b: &Board) -> Row {
    let d = &b.details;
    let from = [&d.merchant, &d.lot, &d.from_boat, &d.from_member, &b.origin_note];
    let said: Vec<&str> = from.iter().map(|s| s.as_str()).filter(|s| !s.is_empty()).collect();
    Row {
        id: b.id,
        tag: b.tag.clone(),
        form: d.form.label(),
        species: species::name(&b.species),
        size: units.dims(&[b.length, b.width, b.thickness]),
        grain: b.grain.label(),
        drying: b.drying.label(),
        moisture: b.moisture.map_or("not measured".to_owned(), |m| format!("{m:.0} %")),
        origin: if said.is_empty() {
            b.origin.label().to_owned()
        } else {
            format!("{}: {}", b.origin.label(), said.join(", "))
        },
        place: b.place.clone(),
        state: b.state,
        no_papers: b.state != BoardState::Cut && no_papers(b),
    }
}

/// Volume as the yard buys it: m³, or board feet where it works in inches.
pub fn volume(boards: &[&Board], unit: LengthUnit) -> String {
    let all = boards.iter().filter_map(|b| measure(b.thickness, b.width, b.length, false).ok());
    let (feet, cubic) = all.fold((0.0, 0.0), |(f, c), m| (f + m.board_feet, c + m.cubic_metres));
    if unit == LengthUnit::Inch { format!("{feet:.0} board feet") } else { format!("{cubic:.3} m³") }
}

#[get("/rack?<q>")]
pub async fn list(desk: Desk<'_>, _who: Crew, q: Option<&str>) -> Result {
    let mut fault = String::new();
    if let Some(tag) = q.map(str::trim).filter(|t| !t.is_empty()) {
        match boards::by_tag(desk.store, tag).await {
            Ok(board) => return Ok(Answer::Go(format!("/rack/{}", board.id))),
            Err(_) => fault = format!("no board has the tag “{}”", tag.chars().take(40).collect::<String>()),
        }
    }
    let all = boards::list(desk.store).await?;
    let whole: Vec<&Board> = all.iter().filter(|b| b.state != BoardState::Cut).collect();
    render(&List {
        page: desk.page("Rack", "rack"),
        tabs: tabs(),
        volume: volume(&whole, desk.units.unit),
        missing_papers: whole.iter().filter(|b| no_papers(b)).count(),
        rows: all.iter().map(|b| row(desk.units, b)).collect(),
        find: q.unwrap_or_default().to_owned(),
        fault,
    })
}

/// A label's code leads here.
#[get("/rack/tag/<tag..>", rank = 4)]
pub async fn by_tag(desk: Desk<'_>, _who: Crew, tag: std::path::PathBuf) -> Result {
    let board = boards::by_tag(desk.store, &tag.to_string_lossy()).await?;
    Ok(Answer::Go(format!("/rack/{}", board.id)))
}

#[derive(Template)]
#[template(path = "rack/board.html")]
struct Show {
    page: Page,
    id: i64,
    board: Row,
    svg: String,
    facts: Vec<(&'static str, String)>,
    defects: Vec<(String, String)>,
    parent: Option<(i64, String)>,
    offcuts: Vec<Row>,
    cut: Option<CutView>,
    papers: String,
    dry: String,
    readings: Vec<(String, String, String)>,
    series: String,
    photos: Vec<String>,
    typed: Typed,
    faults: Faults,
}

struct CutView {
    pieces: Vec<(String, String)>,
    waste: String,
    by: String,
}

/// When air drying from green is likely done, where it was said since when it dries.
fn dry_says(b: &Board) -> String {
    let Some(since) = b.details.dried_since.as_deref().and_then(|d| d.parse::<jiff::civil::Date>().ok()) else {
        return String::new();
    };
    if b.drying == Drying::Kiln {
        return String::new();
    }
    let days = air_drying_days(b.thickness).round() as i64;
    let Ok(ready) = since.checked_add(jiff::Span::new().days(days)) else { return String::new() };
    let today = jiff::ZonedDateTime::now().date();
    let rule = "one year for each 25 mm of thickness, yard rule";
    if ready <= today {
        format!("Drying since {since}: dry by the rule since {ready} ({rule}). Measure it to be sure.")
    } else {
        format!("Drying since {since}: ready about {ready} ({rule}).")
    }
}

async fn show(desk: &Desk<'_>, b: &Board, typed: Typed, faults: Faults) -> std::result::Result<Show, AppError> {
    let units = desk.units;
    let parent = match b.parent_id {
        Some(parent) => Some(boards::find(desk.store, parent).await?).map(|p| (p.id, p.tag)),
        None => None,
    };
    let offcuts = boards::offcuts(desk.store, b.id).await?;
    let readings = boards::moistures(desk.store, b.id).await?;
    let d = &b.details;
    let currency = quotes::terms(desk.store).await?.0.currency;
    let mut facts = Vec::new();
    let mut fact = |name, value: String| {
        if !value.is_empty() {
            facts.push((name, value));
        }
    };
    fact("Dressed", d.dressed.map_or(String::new(), |t| units.fine(t)));
    fact("Edges", if d.form == Form::Sheet { String::new() } else { d.edges.label().to_owned() });
    fact("Plies", d.plies.map_or(String::new(), |n| n.to_string()));
    fact("Rings to the face", d.ring_angle.map_or(String::new(), |a| format!("{a:.0}°")));
    fact("Sweep", if d.sweep == 0.0 { String::new() } else { format!("{} over its length", units.len(d.sweep.abs())) });
    fact("Merchant", d.merchant.clone());
    fact("Lot", d.lot.clone());
    let year = d.from_year.map_or(String::new(), |y| y.to_string());
    let salvaged: Vec<&str> =
        [d.from_boat.as_str(), d.from_member.as_str(), year.as_str()].into_iter().filter(|s| !s.is_empty()).collect();
    fact("Salvaged from", salvaged.join(", "));
    fact("Price", d.price.and_then(|p| currency.of(p).ok()).map_or(String::new(), |p| currency.shown(p)));
    fact("Papers", d.papers.clone());
    if let Ok(m) = measure(b.thickness, b.width, b.length, false) {
        fact("Volume", format!("{:.4} m³, {:.1} board feet", m.cubic_metres, m.board_feet));
    }
    let cut = boards::cut_of(desk.store, b.id).await?.map(|c| cut_view(&c, b, units));
    let values: Vec<f64> = readings.iter().map(|r| r.moisture).collect();
    let defect = |d: &Defect| {
        let place = format!(
            "{} to {} along, {} to {} across",
            units.len(d.x0),
            units.len(d.x1),
            units.len(d.y0),
            units.len(d.y1)
        );
        (d.kind.label().to_owned(), place)
    };
    Ok(Show {
        page: desk.page(&b.tag, "rack"),
        id: b.id,
        svg: drawing::draw(drawing::Face::bare(b.length, b.width, d), units),
        facts,
        defects: d.defects.iter().map(defect).collect(),
        parent,
        offcuts: offcuts.iter().map(|o| row(units, o)).collect(),
        cut,
        papers: if no_papers(b) {
            "A trade-controlled species: nothing is said of its papers.".to_owned()
        } else {
            String::new()
        },
        dry: dry_says(b),
        series: if values.len() > 1 { chart::series(&values, "%") } else { String::new() },
        readings: readings
            .iter()
            .rev()
            .map(|r| {
                let simulated = if r.simulated { ", simulated" } else { "" };
                (
                    format!("{:.1} %", r.moisture),
                    format!("meter {:.1} at {:.0} °C{simulated}", r.shown, r.wood_temperature),
                    format!("{} · {}", view::when(&r.at), r.by_name),
                )
            })
            .collect(),
        photos: boards::photos(desk.store, b.id).await?,
        board: row(units, b),
        typed,
        faults,
    })
}

fn cut_view(cut: &BoardCut, b: &Board, units: Units) -> CutView {
    let face = b.length * b.width;
    let pieces = cut.pieces.iter().map(|p| (p.name.clone(), units.dims(&[p.length, p.width]))).collect();
    let waste = format!("{:.0} cm² of face, {:.0} %", cut.waste_area / 100.0, 100.0 * cut.waste_area / face);
    CutView { pieces, waste, by: format!("{} · {}", view::when(&cut.at), cut.by_name) }
}

#[get("/rack/<id>", rank = 3)]
pub async fn board(desk: Desk<'_>, _who: Crew, id: i64) -> Result {
    let b = boards::find(desk.store, id).await?;
    render(&show(&desk, &b, Typed::default(), Faults::default()).await?)
}

/// Keeps a pin meter's reading of a board.
#[post("/rack/<id>/moisture", data = "<posted>", rank = 3)]
pub async fn measure_board(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let b = boards::find(desk.store, id).await?;
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let simulated = read.is_on("simulated");
    if simulated {
        desk.may_stand_in()?;
    }
    let (shown, warm) = if simulated {
        let taken = boards::moistures(desk.store, id).await?.len();
        crate::file::instruments::board_meter(&b.tag, b.moisture.unwrap_or(18.0), taken as u64)
    } else {
        (read.number("shown", 0.0, 100.0), read.number("wood_temperature", -20.0, 60.0))
    };
    let offset =
        accounts::meter_offsets(desk.store).await?.into_iter().find(|(s, _)| *s == b.species).map_or(0.0, |(_, o)| o);
    let corrected = if read.faults.is_empty() { moisture::correct_meter(shown, warm, offset).ok() } else { None };
    let Some(corrected) = corrected else {
        return render_faulty(&show(&desk, &b, posted.form.typed(), read.faults).await?);
    };
    let mut work = desk.store.begin(posted.act()).await?;
    work.add_board_moisture(&b, shown, warm, corrected.moisture, simulated).await?;
    let location = format!("/rack/{id}");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// Adds photos of a board.
#[post("/rack/<id>/photo", data = "<posted>", rank = 3)]
pub async fn add_photo(desk: Desk<'_>, _who: Crew, id: i64, mut posted: Posted) -> Result {
    let b = boards::find(desk.store, id).await?;
    let mut faults = Faults::said_in(desk.units);
    let mut filed = Vec::new();
    for upload in std::mem::take(&mut posted.form.uploads) {
        match photos::file(&desk.settings.folder.photos(), upload).await {
            Ok(hash) => filed.push(hash),
            Err(e) => faults.add(e),
        }
    }
    if filed.is_empty() && faults.is_empty() {
        faults.add(InputError::new("photo", "pick a picture"));
    }
    if !faults.is_empty() {
        return render_faulty(&show(&desk, &b, posted.form.typed(), faults).await?);
    }
    let mut work = desk.store.begin(posted.act()).await?;
    for hash in &filed {
        work.add_board_photo(&b, hash).await?;
    }
    let location = format!("/rack/{id}");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// Takes the cut of a board back.
#[post("/rack/<id>/undo", data = "<posted>", rank = 3)]
pub async fn undo(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let b = boards::find(desk.store, id).await?;
    let Some(cut) = boards::cut_of(desk.store, id).await? else {
        return Err(AppError::Refused(format!("{} has not been cut", b.tag)));
    };
    let mut read = Reader::new(&posted.form, desk.units.unit);
    let why = read.text("why", NOTE_LIMIT);
    if why.is_empty() {
        read.faults.add(InputError::new("why", "say what was wrong: the story keeps both"));
        return render_faulty(&show(&desk, &b, posted.form.typed(), read.faults).await?);
    }
    let mut work = desk.store.begin(posted.act()).await?;
    work.undo_cut(&b, &cut, &why).await?;
    let location = format!("/rack/{id}");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

#[derive(Template)]
#[template(path = "rack/form.html")]
struct FormPage {
    page: Page,
    action: String,
    title: String,
    svg: String,
    typed: Typed,
    faults: Faults,
    species: Choices,
    forms: Choices,
    edges: Choices,
    grains: Choices,
    dryings: Choices,
    origins: Choices,
    defects: Choices,
    theirs: Vec<(&'static str, String, String)>,
}

fn form(desk: &Desk<'_>, board: Option<&Board>, typed: Typed, faults: Faults) -> FormPage {
    let title = board.map_or("Put a board in the rack".to_owned(), |b| format!("Change {}", b.tag));
    FormPage {
        page: desk.page(&title, "rack"),
        action: board.map_or("/rack/new".to_owned(), |b| format!("/rack/{}/edit", b.id)),
        title,
        svg: board.map_or(String::new(), |b| {
            let clear = Details { defects: Vec::new(), ..b.details.clone() };
            drawing::draw(drawing::Face::bare(b.length, b.width, &clear), desk.units)
        }),
        typed,
        faults,
        species: timber_choices(),
        forms: pairs(Form::ALL, Form::code, Form::label),
        edges: pairs(Edges::ALL, Edges::code, Edges::label),
        grains: pairs(Grain::ALL, Grain::code, Grain::label),
        dryings: pairs(Drying::ALL, Drying::code, Drying::label),
        origins: pairs(Origin::ALL, Origin::code, Origin::label),
        defects: pairs(DefectKind::ALL, DefectKind::code, DefectKind::label),
        theirs: Vec::new(),
    }
}

#[get("/rack/new")]
pub fn new_form(desk: Desk<'_>, _who: Crew) -> Result {
    let typed = Typed::default();
    render(&form(&desk, None, typed, Faults::default()))
}

#[post("/rack/new", data = "<posted>")]
pub async fn create(desk: Desk<'_>, _who: Crew, posted: Posted) -> Result {
    let new = match read(&desk, &posted.form) {
        Ok(new) => new,
        Err(faults) => return render_faulty(&form(&desk, None, posted.form.typed(), faults)),
    };
    let mut work = desk.store.begin(posted.act()).await?;
    match work.add_board(&new).await {
        Ok(id) => {
            let location = format!("/rack/{id}");
            work.commit(&location).await?;
            Ok(Answer::Go(location))
        }
        Err(StoreError::Conflict(why)) => {
            let mut faults = Faults::said_in(desk.units);
            faults.add(InputError::new("tag", why));
            render_faulty(&form(&desk, None, posted.form.typed(), faults))
        }
        Err(e) => Err(e.into()),
    }
}

/// A board as the form has it, for typing over.
fn as_typed(b: &Board, units: Units) -> Typed {
    let d = &b.details;
    let number = |n: Option<f64>| n.map_or(String::new(), |v| v.to_string());
    let line = |d: &Defect| {
        format!(
            "{}, {}, {}, {}, {}",
            d.kind.code(),
            units.exact(d.x0),
            units.exact(d.x1),
            units.exact(d.y0),
            units.exact(d.y1)
        )
    };
    Typed::default()
        .with("version", b.version.to_string())
        .with("tag", b.tag.clone())
        .with("species", b.species.clone())
        .with("form", d.form.code())
        .with("length", units.exact(b.length))
        .with("width", units.exact(b.width))
        .with("thickness", units.exact(b.thickness))
        .with("dressed", d.dressed.map_or(String::new(), |t| units.exact(t)))
        .with("plies", d.plies.map_or(String::new(), |n| n.to_string()))
        .with("edges", d.edges.code())
        .with("grain", b.grain.code())
        .with("ring_angle", number(d.ring_angle))
        .with("drying", b.drying.code())
        .with("dried_since", d.dried_since.clone().unwrap_or_default())
        .with("moisture", number(b.moisture))
        .with("sweep", if d.sweep == 0.0 { String::new() } else { units.exact(d.sweep) })
        .with("defects", d.defects.iter().map(line).collect::<Vec<_>>().join("\n"))
        .with("origin", b.origin.code())
        .with("origin_note", b.origin_note.clone())
        .with("merchant", d.merchant.clone())
        .with("lot", d.lot.clone())
        .with("from_boat", d.from_boat.clone())
        .with("from_member", d.from_member.clone())
        .with("from_year", d.from_year.map_or(String::new(), |y| y.to_string()))
        .with("papers", d.papers.clone())
        .with("price", number(d.price))
        .with("place", b.place.clone())
}

#[get("/rack/<id>/edit", rank = 3)]
pub async fn edit_form(desk: Desk<'_>, _who: Crew, id: i64) -> Result {
    let b = boards::find(desk.store, id).await?;
    render(&form(&desk, Some(&b), as_typed(&b, desk.units), Faults::default()))
}

#[post("/rack/<id>/edit", data = "<posted>", rank = 3)]
pub async fn change(desk: Desk<'_>, _who: Crew, id: i64, posted: Posted) -> Result {
    let b = boards::find(desk.store, id).await?;
    let new = match read(&desk, &posted.form) {
        Ok(new) => new,
        Err(faults) => return render_faulty(&form(&desk, Some(&b), posted.form.typed(), faults)),
    };
    let version: i64 = posted.form.get("version").parse().unwrap_or(0);
    let mut work = desk.store.begin(posted.act()).await?;
    match work.change_board(&b, version, &new).await {
        Ok(()) => {}
        Err(StoreError::Stale(_)) => {
            drop(work);
            let theirs = as_typed(&b, desk.units);
            let typed = posted.form.typed();
            let fields = [
                ("tag", "Tag"),
                ("length", "Length"),
                ("width", "Width"),
                ("thickness", "Thickness"),
                ("moisture", "Moisture"),
                ("defects", "Defects"),
                ("place", "Place"),
                ("papers", "Papers"),
                ("price", "Price"),
            ];
            let theirs = theirs.against(&typed, &fields);
            let typed = typed.with("version", b.version.to_string());
            return render_faulty(&FormPage { theirs, ..form(&desk, Some(&b), typed, Faults::default()) });
        }
        Err(StoreError::Conflict(why)) => {
            drop(work);
            let mut faults = Faults::said_in(desk.units);
            faults.add(InputError::new("tag", why));
            return render_faulty(&form(&desk, Some(&b), posted.form.typed(), faults));
        }
        Err(e) => return Err(e.into()),
    }
    let location = format!("/rack/{id}");
    work.commit(&location).await?;
    Ok(Answer::Go(location))
}

/// Largest board taken, mm.
pub const LARGEST: (f64, f64, f64) = (20_000.0, 2_600.0, 1_000.0);
/// Most defects of a board.
const MOST_DEFECTS: usize = 60;

/// A defect as a line: `knot, 480, 520, 20, 60`.
pub fn read_defect(line: &str, unit: LengthUnit) -> std::result::Result<Defect, String> {
    let cells: Vec<&str> = line.split([',', ';']).map(str::trim).collect();
    let [kind, x0, x1, y0, y1] = cells.as_slice() else {
        return Err("write a defect as kind, from, to along, from, to across".to_owned());
    };
    let kind = DefectKind::from_code(kind)
        .or_else(|| DefectKind::ALL.iter().copied().find(|k| k.label().eq_ignore_ascii_case(kind)))
        .ok_or_else(|| format!("“{}” is no kind of defect", kind.chars().take(40).collect::<String>()))?;
    let mm = |text: &str| parse_length(text, unit).map_err(|e| e.message);
    Ok(Defect { kind, x0: mm(x0)?, x1: mm(x1)?, y0: mm(y0)?, y1: mm(y1)? })
}

fn read(desk: &Desk<'_>, submitted: &Submission) -> std::result::Result<NewBoard, Faults> {
    let mut read = Reader::new(submitted, desk.units.unit);
    let tag = read.name("tag");
    let species = read.choice("species", species::or_unknown);
    let mut sized = |field: &str, most: f64| {
        let mm = read.size(field);
        if mm > most {
            read.faults.add(InputError::new(field, format!("must not be more than {most:.0} mm")));
        }
        mm
    };
    let (length, width, thickness) =
        (sized("length", LARGEST.0), sized("width", LARGEST.1), sized("thickness", LARGEST.2));
    let grain = read.choice("grain", Grain::from_code);
    let drying = read.choice("drying", Drying::from_code);
    let origin = read.choice("origin", Origin::from_code);
    let moisture = read.optional_number("moisture", 0.0, 200.0);
    let (origin_note, place) = (read.text("origin_note", NAME_LIMIT), read.text("place", NAME_LIMIT));
    let mut defects = Vec::new();
    for (i, line) in submitted.get("defects").lines().enumerate().filter(|(_, l)| !l.trim().is_empty()) {
        match read_defect(line, desk.units.unit) {
            Ok(defect) if defects.len() < MOST_DEFECTS => defects.push(defect),
            Ok(_) => read.faults.add(InputError::new("defects", format!("takes no more than {MOST_DEFECTS}"))),
            Err(why) => read.faults.add(InputError::new("defects", format!("line {}: {why}", i + 1))),
        }
    }
    let details = Details {
        form: read.optional_choice("form", Form::from_code).unwrap_or(Form::Board),
        edges: read.optional_choice("edges", Edges::from_code).unwrap_or(Edges::Straight),
        dressed: read.optional_length("dressed"),
        ring_angle: read.optional_number("ring_angle", 0.0, 90.0),
        dried_since: day(&mut read, "dried_since"),
        sweep: read.optional_length("sweep").unwrap_or(0.0),
        defects,
        merchant: read.text("merchant", NAME_LIMIT),
        lot: read.text("lot", NAME_LIMIT),
        from_boat: read.text("from_boat", NAME_LIMIT),
        from_member: read.text("from_member", NAME_LIMIT),
        from_year: read.optional_whole("from_year", 1_500, 2_200).map(|y| y as i32),
        papers: read.text("papers", NAME_LIMIT),
        price: read.optional_number("price", 0.0, 1e7),
        plies: read.optional_whole("plies", 3, 40),
    };
    if read.faults.is_empty()
        && let Err(e) = details.check(Rectangle { length, width })
    {
        let field = if e.field.starts_with("defects") { "defects".to_owned() } else { e.field };
        read.faults.add(InputError::new(field, e.message));
    }
    let (Some(species), Some(grain), Some(drying), Some(origin), true) =
        (species, grain, drying, origin, read.faults.is_empty())
    else {
        return Err(read.faults);
    };
    let stock = Stock { species, length, width, thickness, grain, drying, moisture, origin };
    Ok(NewBoard { tag, stock, details, origin_note, place, parent_id: None })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_defect_is_read_by_code_or_by_name_in_the_yards_unit() {
        let knot = read_defect("knot, 480, 520, 20, 60", LengthUnit::Millimetre).unwrap();
        assert_eq!((knot.kind, knot.x1), (DefectKind::Knot, 520.0));
        let split = read_defect("Split; 0; 12 1/2; 0; 3", LengthUnit::Inch).unwrap();
        assert_eq!((split.kind, split.x1), (DefectKind::Split, 317.5));
        assert!(read_defect("knot, 1, 2, 3", LengthUnit::Millimetre).is_err());
        assert!(read_defect("hole in my bucket, 1, 2, 3, 4", LengthUnit::Millimetre).unwrap_err().contains("no kind"));
    }
}
