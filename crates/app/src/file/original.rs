//! How much of a boat is still the wood she was built of, by what is on record.

use mend_keel_core::InputError;
use mend_keel_core::grid::Address;
use mend_keel_core::grid::member::Surface;
use mend_keel_core::survey::original::{self, Original, Stretch, Wood};

use super::survey::SurveyFile;

/// A surface, or the whole boat, with what is original of it.
#[derive(Debug, Clone, PartialEq)]
pub struct Share {
    pub label: &'static str,
    pub today: Original,
    /// By year, from the one she was built in, where that is known.
    pub years: Vec<(i32, Original)>,
}

/// A stretch by its area, mm², and its thickness.
struct Recorded {
    surface: Surface,
    area: f64,
    thickness: f64,
    wood: Wood,
}

fn recorded(survey: &SurveyFile) -> Vec<Recorded> {
    let file = &survey.file;
    let shell = &file.boat.shell;
    let looked = survey.looked_at();
    let mut all = Vec::new();
    for plank in &file.planks {
        let (from, to) = plank.bays(shell.frame_count());
        for bay in from..=to.min(shell.frame_count().saturating_sub(1)) {
            let at = Address { side: plank.side, strake: plank.strake, frame: bay };
            let long = shell.frame_x(bay + 1) - shell.frame_x(bay);
            all.push(Recorded {
                surface: Surface::Shell,
                area: shell.width(at) * long,
                thickness: plank.thickness,
                wood: survey.wood(&looked, plank.id, bay, plank.year),
            });
        }
    }
    for member in &file.members {
        for cell in 1..=member.cells.max(1) {
            all.push(Recorded {
                surface: member.kind.surface(),
                area: member.length * member.width / f64::from(member.cells.max(1)),
                thickness: member.thickness,
                wood: survey.wood(&looked, member.id, cell, member.year),
            });
        }
    }
    all
}

/// By surface (area of shell and deck, volume of the rest) and, last, the whole by volume. Where nothing is on record of how big
/// something is it counts for nothing.
pub fn shares(survey: &SurveyFile, now: i32) -> Result<Vec<Share>, InputError> {
    let all = recorded(survey);
    let built = survey.file.boat.year.and_then(|y| i32::try_from(y).ok()).filter(|y| *y <= now);
    let share = |label, stretches: Vec<Stretch>| -> Result<Option<Share>, InputError> {
        let Some(today) = original::today(&stretches)? else { return Ok(None) };
        let years = built.map_or(Ok(Vec::new()), |built| original::over_the_years(&stretches, built, now))?;
        Ok(Some(Share { label, today, years }))
    };
    let mut shares = Vec::new();
    for surface in Surface::ALL {
        let by_area = matches!(surface, Surface::Shell | Surface::Deck);
        let size = |r: &Recorded| if by_area { r.area } else { r.area * r.thickness };
        let here = all.iter().filter(|r| r.surface == *surface);
        shares.extend(share(surface.label(), here.map(|r| Stretch { size: size(r), wood: r.wood }).collect())?);
    }
    let whole = all.iter().map(|r| Stretch { size: r.area * r.thickness, wood: r.wood });
    shares.extend(share("The whole of her", whole.collect())?);
    Ok(shares)
}

/// A band in words: `62 %`, or `between 40 % and 85 %`.
pub fn says(original: Original) -> String {
    let [least, most] = [original.least, original.most].map(crate::view::percent);
    if least == most { least } else { format!("between {least} and {most}") }
}
