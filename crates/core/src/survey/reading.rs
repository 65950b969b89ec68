//! Readings: what an instrument or a hand said, and what that means.

use serde::{Deserialize, Serialize};

use crate::choice::choices;
use crate::error::{self, InputError};
use crate::grid::{Between, Construction};
use crate::reason::Reason;
use crate::seam;
use crate::survey::{Grade, Method};
use crate::timber::Species;
use crate::timber::moisture::correct_meter;

/// What a reading says about the wood or metal.
#[derive(Debug, Clone, PartialEq)]
pub struct Read {
    /// The grade the reading alone would give; `None` when it does not decide.
    pub grade: Option<Grade>,
    pub says: String,
    /// The figure to be followed from reading to reading, where there is one.
    pub value: Option<Figure>,
    pub reasons: Vec<Reason>,
}

impl Read {
    fn new(grade: Option<Grade>, says: impl Into<String>) -> Self {
        Self { grade, says: says.into(), value: None, reasons: Vec::new() }
    }

    fn figure(mut self, value: f64, unit: &'static str) -> Self {
        self.value = Some(Figure { value, unit });
        self
    }

    fn because(mut self, reason: Reason) -> Self {
        self.reasons.push(reason.source(SOURCE));
        self
    }
}

/// A number with its unit.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Figure {
    pub value: f64,
    pub unit: &'static str,
}

const SOURCE: &str = "handbook 03";

choices! {
    /// What a mallet or knuckle says.
    Ring {
        Bright = "bright", "Bright";
        Dull = "dull", "Dull";
        Dead = "dead", "Dead";
        Papery = "papery", "Papery and high";
    }
}

choices! {
    /// What a look alone shows.
    Sign {
        Nothing = "nothing", "Nothing amiss";
        Stain = "stain", "Stain";
        Crack = "crack", "Crack";
        OpenSeam = "open_seam", "Open seam";
        ProudFastening = "proud_fastening", "Proud fastening";
        WeepingFastening = "weeping_fastening", "Weeping fastening";
        LiftedCoating = "lifted_coating", "Lifted coating";
        BuckledPlank = "buckled_plank", "Buckled plank";
        CrushedEdge = "crushed_edge", "Crushed edge";
    }
}

choices! {
    /// A fastening's kind.
    FasteningKind {
        BoatNail = "boat_nail", "Boat nail";
        Screw = "screw", "Screw";
        Rivet = "rivet", "Rivet or rove";
        Clench = "clench", "Clenched nail";
        Bolt = "bolt", "Bolt";
        Drift = "drift", "Drift";
        Trenail = "trenail", "Trenail";
        RingNail = "ring_nail", "Ring nail";
    }
}

choices! {
    /// A fastening's metal.
    Metal {
        Galvanised = "galvanised", "Galvanised iron or steel";
        PlainSteel = "plain_steel", "Plain iron or steel";
        Copper = "copper", "Copper";
        Brass = "brass", "Brass";
        Bronze = "bronze", "Bronze";
        Stainless = "stainless", "Stainless steel";
        NickelCopper = "nickel_copper", "Nickel-copper";
        Wood = "wood", "Wood";
    }
}

choices! {
    /// The wood round a drawn fastening.
    WoodAround {
        Sound = "sound", "Sound";
        Black = "black", "Black";
        Soft = "soft", "Soft";
        Mushy = "mushy", "Mushy";
    }
}

choices! {
    /// What lies in a seam.
    Filler {
        Soft = "soft", "Soft, as it should be";
        Hard = "hard", "Hard";
        Loose = "loose", "Loose";
        Missing = "missing", "Missing";
    }
}

/// One reading, as it was taken. Lengths mm, moisture %, temperatures °C.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "method", rename_all = "snake_case", deny_unknown_fields)]
pub enum Measure {
    Look {
        sign: Sign,
    },
    Sound {
        ring: Ring,
    },
    Spike {
        depth: f64,
    },
    Meter {
        shown: f64,
        wood_temperature: f64,
        /// Near salt or metal a meter only compares one place with the next.
        #[serde(default)]
        relative: bool,
        /// The yard's own correction for the species, in points, as it was when the reading was taken.
        #[serde(default)]
        species_offset: f64,
    },
    DrawFastening {
        kind: FasteningKind,
        metal: Metal,
        original: f64,
        remaining: f64,
        wood: WoodAround,
        /// Which of the crossing's fastenings, from the lower edge up; 0 when nobody said.
        #[serde(default)]
        nth: u32,
    },
    Thickness {
        nominal: f64,
        measured: f64,
    },
    Feeler {
        width: f64,
        depth: f64,
        filler: Filler,
    },
    OpenUp {},
}

/// What a reading was taken on.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct On<'s> {
    pub species: Option<&'s Species>,
    pub thickness: f64,
    pub construction: Construction,
}

impl Measure {
    pub fn method(&self) -> Method {
        match self {
            Self::Look { .. } => Method::Look,
            Self::Sound { .. } => Method::Sound,
            Self::Spike { .. } => Method::Spike,
            Self::Meter { .. } => Method::Meter,
            Self::DrawFastening { .. } => Method::DrawFastening,
            Self::Thickness { .. } => Method::Thickness,
            Self::Feeler { .. } => Method::Feeler,
            Self::OpenUp {} => Method::OpenUp,
        }
    }

    /// What it means. Errors name the measure's own field.
    pub fn read(&self, on: &On<'_>) -> Result<Read, InputError> {
        match self {
            Self::Look { sign } => Ok(read_sign(*sign)),
            Self::Sound { ring } => Ok(read_ring(*ring)),
            Self::Spike { depth } => read_spike(*depth, on.species),
            Self::Meter { shown, wood_temperature, relative, species_offset } => {
                read_meter(*shown, *wood_temperature, *relative, *species_offset)
            }
            Self::DrawFastening { original, remaining, wood, .. } => read_drawn(*original, *remaining, *wood),
            Self::Thickness { nominal, measured } => read_thickness(*nominal, *measured),
            Self::Feeler { width, depth, filler } => read_feeler(*width, *depth, *filler, on),
            Self::OpenUp {} => Ok(Read::new(None, "opened up: the extent is what was seen")),
        }
    }

    /// The corrected moisture content, %, where the reading is one and says more than a comparison.
    pub fn moisture(&self) -> Option<f64> {
        match self {
            Self::Meter { shown, wood_temperature, relative: false, species_offset } => {
                correct_meter(*shown, *wood_temperature, *species_offset).ok().map(|c| c.moisture)
            }
            _ => None,
        }
    }
}

fn read_sign(sign: Sign) -> Read {
    let grade = match sign {
        Sign::Nothing => Grade::Sound,
        Sign::BuckledPlank | Sign::CrushedEdge => Grade::Mend,
        _ => Grade::Watch,
    };
    Read::new(Some(grade), sign.label().to_lowercase())
}

fn read_meter(shown: f64, wood_temperature: f64, relative: bool, species_offset: f64) -> Result<Read, InputError> {
    let c = correct_meter(shown, wood_temperature, species_offset).map_err(|e| {
        let field = if e.field == "reading" { "shown" } else { e.field.as_str() };
        InputError::new(field, e.message)
    })?;
    let because = Reason::note("survey.meter", "corrected for the wood's temperature and species")
        .formula("MC = (R + 0.567 − 0.0260t + 0.000051t²) / (0.881 · 1.0056^t) + species offset")
        .value("shown", shown, "%")
        .value("wood", wood_temperature, "°C")
        .value("species offset", species_offset, "%");
    if relative {
        return Ok(
            Read::new(None, format!("{:.1} %, relative only: salt or metal is near", c.moisture)).because(because)
        );
    }
    let only = if c.only_wet { " (the meter only says wet)" } else { "" };
    // A place drier than where decay can start asks for nothing by itself.
    let grade = if c.moisture > 20.0 { Grade::Watch } else { Grade::Sound };
    Ok(Read::new(Some(grade), format!("{:.1} %: {}{only}", c.moisture, c.class.label()))
        .figure(c.moisture, "%")
        .because(because))
}

/// Shares of a thickness that may be lost before it counts as worn, thin, and past use (*yard rule*).
const THICKNESS_LOST: [f64; 3] = [0.05, 0.15, 0.30];

/// Reads a measured thickness against what it was.
pub fn read_thickness(nominal: f64, measured: f64) -> Result<Read, InputError> {
    error::length("nominal", nominal)?;
    error::length("measured", measured)?;
    if measured > nominal * 1.5 {
        return Err(InputError::new("measured", "is half as thick again as it was when new: check the two figures"));
    }
    let loss = (1.0 - measured / nominal).max(0.0);
    let (grade, word) = match loss {
        l if l <= THICKNESS_LOST[0] => (Grade::Sound, "full"),
        l if l <= THICKNESS_LOST[1] => (Grade::Watch, "worn"),
        l if l <= THICKNESS_LOST[2] => (Grade::Mend, "thin"),
        _ => (Grade::Renew, "too thin to hold a fastening's head"),
    };
    Ok(Read::new(Some(grade), format!("{:.0} % of its thickness lost: {word}", loss * 100.0))
        .figure(measured, "mm")
        .because(
            Reason::note("survey.thickness", "loss against nominal")
                .formula("loss = 1 − measured / nominal")
                .value("nominal", nominal, "mm")
                .value("measured", measured, "mm")
                .against("loss", loss * 100.0, "%", THICKNESS_LOST[1] * 100.0),
        ))
}

/// A seam this many times as wide as it was made has opened (*yard rule*).
const OPENED: f64 = 2.0;

/// Reads a feeler in a seam: its width against what a seam of the thickness was made, and what lies in it.
pub fn read_feeler(width: f64, depth: f64, filler: Filler, on: &On<'_>) -> Result<Read, InputError> {
    error::within("width", width, 0.0, 60.0)?;
    error::within("depth", depth, 0.0, 300.0)?;
    let made = seam::first_width(on.thickness);
    let works = matches!(on.construction.between(), Between::Seam | Between::Lap)
        && on.construction != Construction::CarvelGlued;
    let (grade, says) = match filler {
        Filler::Missing => (Grade::Mend, "nothing in it"),
        Filler::Hard if works => (Grade::Mend, "hard filler in a seam that works: edges crush and planks buckle"),
        Filler::Hard => (Grade::Watch, "hard filler"),
        Filler::Loose => (Grade::Watch, "filling loose"),
        Filler::Soft if width > OPENED * made => (Grade::Watch, "opened wider than it was made"),
        Filler::Soft => (Grade::Sound, "soft and held"),
    };
    Ok(Read::new(Some(grade), format!("{width:.1} mm wide, {depth:.0} mm deep: {says}")).figure(width, "mm").because(
        Reason::note("survey.feeler", "against the width a seam is first made")
            .formula("thickness / 16 + 0.8 mm")
            .value("plank", on.thickness, "mm")
            .against("width", width, "mm", OPENED * made),
    ))
}

/// The grade of wood, not of a hard species, that is soft so deep, mm.
pub fn soft_grade(depth: f64) -> Grade {
    match depth {
        d if d <= 1.0 => Grade::Sound,
        d if d <= 3.0 => Grade::Watch,
        d if d <= 6.0 => Grade::Mend,
        _ => Grade::Renew,
    }
}

/// Reads a spike pushed in under hand pressure, mm. For hard species the limits are halved.
pub fn read_spike(depth: f64, species: Option<&Species>) -> Result<Read, InputError> {
    error::within("depth", depth, 0.0, 300.0)?;
    /// Specific gravity from which wood counts as hard under a spike (*yard rule*).
    const HARD_FROM: f64 = 0.60;
    let hard = species.is_some_and(|s| s.specific_gravity >= HARD_FROM);
    let scale = if hard { 0.5 } else { 1.0 };
    let grade = soft_grade(depth / scale);
    let says = match grade {
        Grade::Sound => "sound",
        Grade::Watch => "soft at the surface",
        Grade::Mend => "soft",
        Grade::Renew | Grade::Unsafe => "rotten",
    };
    let text = if hard { "hard wood: the limits are halved" } else { "limits 1, 3 and 6 mm" };
    Ok(Read::new(Some(grade), says)
        .figure(depth, "mm")
        .because(Reason::note("survey.spike", text).against("went in", depth, "mm", scale)))
}

/// Reads the sound of a mallet.
pub fn read_ring(ring: Ring) -> Read {
    let (grade, says) = match ring {
        Ring::Bright => (None, "sounds fair; it can still be soft inside: confirm with spike or drill"),
        Ring::Dull => (Some(Grade::Watch), "damp or soft within"),
        Ring::Dead => (Some(Grade::Mend), "rot or a void"),
        Ring::Papery => (Some(Grade::Mend), "plies or layers parted"),
    };
    Read::new(grade, says)
}

/// State of a drawn fastening.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum FasteningGrade {
    Good,
    Tired,
    Bad,
}

/// Section lost by a drawn fastening, 0–1, and its grade: `1 − (d/d0)²`; to 10 % good, to 30 % tired, then bad.
///
/// Diameters in mm; the remaining one may be 0 (it is gone). Black, soft or mushy wood round it is bad
/// whatever the metal looks like: that is for the surveyor to say.
pub fn section_loss(original: f64, remaining: f64) -> Result<(f64, FasteningGrade), InputError> {
    error::length("original_diameter", original)?;
    if !remaining.is_finite() || remaining < 0.0 {
        return Err(InputError::new("remaining_diameter", format!("must not be less than 0, was {remaining}")));
    }
    if remaining > original {
        return Err(InputError::new("remaining_diameter", "must not be more than the original diameter"));
    }
    let loss = 1.0 - (remaining / original).powi(2);
    Ok((loss, fastening_grade(loss)))
}

/// The grade of a fastening that has lost such a share of its section.
pub fn fastening_grade(loss: f64) -> FasteningGrade {
    match loss {
        l if l <= 0.10 => FasteningGrade::Good,
        l if l <= 0.30 => FasteningGrade::Tired,
        _ => FasteningGrade::Bad,
    }
}

/// Reads a drawn fastening by the section it has lost and the wood round it: black, soft or mushy wood is bad
/// whatever the metal looks like.
pub fn read_drawn(original: f64, remaining: f64, wood: WoodAround) -> Result<Read, InputError> {
    let (loss, metal) = section_loss(original, remaining).map_err(|e| {
        let field = if e.field == "original_diameter" { "original" } else { "remaining" };
        InputError::new(field, e.message)
    })?;
    let (grade, word) = match (wood, metal) {
        (WoodAround::Sound, FasteningGrade::Good) => (Grade::Sound, "good"),
        (WoodAround::Sound, FasteningGrade::Tired) => (Grade::Watch, "tired"),
        _ => (Grade::Renew, "bad"),
    };
    let round = if wood == WoodAround::Sound {
        String::new()
    } else {
        format!(", {} wood round it", wood.label().to_lowercase())
    };
    Ok(Read::new(Some(grade), format!("{:.0} % of its section lost{round}: {word}", loss * 100.0))
        .figure(loss * 100.0, "%")
        .because(
            Reason::note("survey.section", "to 10 % good, to 30 % tired, then bad; bad wood round it is bad")
                .formula("loss = 1 − (d / d0)²")
                .value("when new", original, "mm")
                .value("left", remaining, "mm")
                .against("loss", loss * 100.0, "%", 30.0),
        ))
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::timber::species;

    fn on(thickness: f64, construction: Construction) -> On<'static> {
        On { species: species::find("western_larch").ok(), thickness, construction }
    }

    #[test]
    fn a_spike_reads_harder_wood_more_strictly() {
        let oak = species::find("white_oak").unwrap();
        assert_eq!(read_spike(2.0, None).unwrap().grade, Some(Grade::Watch));
        assert_eq!(read_spike(2.0, Some(oak)).unwrap().grade, Some(Grade::Mend));
        assert_eq!(read_spike(7.0, None).unwrap().says, "rotten");
        assert!(read_spike(-1.0, None).is_err());
    }

    #[test]
    fn a_nail_a_tenth_thinner_is_tired() {
        let (loss, grade) = section_loss(5.0, 4.5).unwrap();
        assert!((loss - 0.19).abs() < 1e-12);
        assert_eq!(grade, FasteningGrade::Tired);
        assert_eq!(section_loss(5.0, 0.0).unwrap(), (1.0, FasteningGrade::Bad));
        assert_eq!(section_loss(5.0, 6.0).unwrap_err().field, "remaining_diameter");
    }

    #[test]
    fn black_wood_round_a_bright_nail_is_bad() {
        assert_eq!(read_drawn(5.0, 5.0, WoodAround::Sound).unwrap().grade, Some(Grade::Sound));
        let black = read_drawn(5.0, 5.0, WoodAround::Black).unwrap();
        assert_eq!(black.grade, Some(Grade::Renew));
        assert!(black.says.contains("black wood round it"));
        assert_eq!(read_drawn(0.0, 0.0, WoodAround::Sound).unwrap_err().field, "original");
    }

    #[test]
    fn a_meter_near_salt_only_compares() {
        let wet = Measure::Meter { shown: 24.0, wood_temperature: 12.0, relative: false, species_offset: 0.0 };
        let salt = Measure::Meter { shown: 24.0, wood_temperature: 12.0, relative: true, species_offset: 0.0 };
        let on = on(25.0, Construction::CarvelCaulked);
        assert_eq!(wet.read(&on).unwrap().grade, Some(Grade::Watch));
        let relative = salt.read(&on).unwrap();
        assert_eq!((relative.grade, relative.value), (None, None));
        assert!(relative.says.contains("relative only") && salt.moisture().is_none());
        let own = Measure::Meter { shown: 24.0, wood_temperature: 12.0, relative: false, species_offset: -2.5 };
        assert!(
            (wet.moisture().unwrap() - own.moisture().unwrap() - 2.5).abs() < 1e-9,
            "the yard's own correction counts"
        );
        let wild = Measure::Meter { shown: 24.0, wood_temperature: 12.0, relative: false, species_offset: 90.0 };
        assert_eq!(wild.read(&on).unwrap_err().field, "species_offset");
    }

    #[test]
    fn hard_filler_is_only_a_fault_where_the_seam_works() {
        let carvel = on(25.0, Construction::CarvelCaulked);
        let glued = on(25.0, Construction::CarvelGlued);
        assert_eq!(read_feeler(2.4, 8.0, Filler::Hard, &carvel).unwrap().grade, Some(Grade::Mend));
        assert_eq!(read_feeler(2.4, 8.0, Filler::Hard, &glued).unwrap().grade, Some(Grade::Watch));
        assert_eq!(read_feeler(2.4, 8.0, Filler::Soft, &carvel).unwrap().grade, Some(Grade::Sound));
        assert_eq!(read_feeler(6.0, 8.0, Filler::Soft, &carvel).unwrap().grade, Some(Grade::Watch));
        assert_eq!(read_feeler(-1.0, 8.0, Filler::Soft, &carvel).unwrap_err().field, "width");
    }

    #[test]
    fn a_measure_is_kept_and_read_back_as_it_was() {
        let measure = Measure::Spike { depth: 4.5 };
        let text = serde_json::to_string(&measure).unwrap();
        assert_eq!(text, r#"{"method":"spike","depth":4.5}"#);
        assert_eq!(serde_json::from_str::<Measure>(&text).unwrap(), measure);
        assert!(serde_json::from_str::<Measure>(r#"{"method":"spike","depth":4.5,"colour":1}"#).is_err());
        for (text, method) in
            [(r#"{"method":"open_up"}"#, Method::OpenUp), (r#"{"method":"look","sign":"nothing"}"#, Method::Look)]
        {
            assert_eq!(serde_json::from_str::<Measure>(text).unwrap().method(), method);
        }
    }

    proptest! {
        #[test]
        fn thinner_is_never_graded_better(nominal in 8.0..60.0f64, a in 0.05..1.2f64, b in 0.05..1.2f64) {
            let (thin, thick) = (a.min(b), a.max(b));
            let grade = |share: f64| read_thickness(nominal, nominal * share).unwrap().grade.unwrap();
            prop_assert!(grade(thin) >= grade(thick));
        }
    }
}
