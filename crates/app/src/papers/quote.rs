//! A quote on paper, and what was spent as lines for whatever bookkeeping is used.

use mend_keel_core::work::quote::{Money, Quote, Trade, Trigger};
use mend_keel_exchange::report::{Block, Report};
use mend_keel_exchange::sheet;
use mend_keel_store::quotes::Given;

use super::report::{heading, table};
use crate::file::survey::SurveyFile;
use crate::view;

fn hours([low, high]: [f64; 2]) -> String {
    format!("{} – {}", view::hours(low), view::hours(high))
}

/// A quote as it was given out.
pub fn report(given: &Given, boat: &str, yard: &str) -> Report {
    let quote = &given.body;
    let money = &quote.terms.currency;
    let mut blocks = Vec::new();
    if !quote.note.is_empty() {
        blocks.push(Block::Text(quote.note.clone()));
    }
    blocks.push(heading("Part by part"));
    let rows = quote.parts.iter().map(|p| {
        let bought = if p.line.bought_in.is_zero() {
            String::new()
        } else {
            format!(", bought in {}", money.bare(p.line.bought_in))
        };
        let wishes: String = p.wishes.iter().map(|w| format!(" Your wish: {w}.")).collect();
        vec![
            p.name.clone(),
            format!("{}: {}{wishes}", p.way, p.reason),
            hours(p.line.hours),
            format!("{}{bought}", money.bare(p.line.materials)),
            money.band(p.line.net()),
        ]
    });
    let columns =
        [("Part", 1.3), ("What is done, and why", 3.0), ("Hours", 1.1), ("Materials", 1.0), ("Before tax", 1.5)];
    blocks.push(table(&columns, rows.collect()));
    blocks.push(Block::Text(
        "Each pair: half of such jobs take less than the first figure, four in five less than the second.".into(),
    ));
    sums(quote, &mut blocks);
    other_ways(quote, &mut blocks);
    unknown(quote, &mut blocks);
    Report {
        title: format!("{boat}: quote {}", given.number),
        lines: vec![format!("{yard}; given out {} by {}.", view::when(&given.at), given.by_name)],
        foot: format!("{boat}: quote {} of {}.", given.number, view::when(&given.at)),
        blocks,
    }
}

fn sums(quote: &Quote, blocks: &mut Vec<Block>) {
    let money = &quote.terms.currency;
    let tax = format!("Tax, {} %", percent(quote.terms.tax));
    let row = |label: &str, [low, high]: [Money; 2]| vec![label.to_owned(), money.shown(low), money.shown(high)];
    blocks.push(heading("In all"));
    blocks.push(table(
        &[("", 2.0), ("At even odds", 1.2), ("Four times in five no more than", 1.6)],
        vec![row("Before tax", quote.sum.net), row(&tax, quote.sum.tax), row("With tax", quote.sum.gross)],
    ));
}

/// Hundredths of a per cent as a person writes them: `19`, `5.5`.
pub fn percent(hundredths: u32) -> String {
    let text = format!("{}.{:02}", hundredths / 100, hundredths % 100);
    text.trim_end_matches('0').trim_end_matches('.').to_owned()
}

fn other_ways(quote: &Quote, blocks: &mut Vec<Block>) {
    let money = &quote.terms.currency;
    let mut rows = Vec::new();
    for part in &quote.parts {
        for other in &part.others {
            let refused = if other.refused { " (against the rules of the trade)" } else { "" };
            let again = other.later.as_ref().map_or(String::new(), |l| {
                format!(
                    "; after {} again: {}, {}",
                    view::in_years(l.years.into()),
                    l.way.to_lowercase(),
                    money.band(l.line.net())
                )
            });
            rows.push(vec![
                part.name.clone(),
                format!("{}{refused}", other.way),
                money.band(other.line.net()),
                format!("{}{again}", view::in_years(other.years)),
            ]);
        }
        if let Some(w) = &part.waiting {
            let way = format!("Waiting {}, then {}", view::in_years(w.years.into()), w.way.to_lowercase());
            rows.push(vec![part.name.clone(), way, money.band(w.line.net()), "at worst, by the forecast".to_owned()]);
        }
    }
    if !rows.is_empty() {
        blocks.push(heading("Other ways, and what waiting costs"));
        blocks.push(table(&[("Part", 1.3), ("Way", 2.2), ("Before tax", 1.6), ("How long", 2.4)], rows));
    }
}

fn unknown(quote: &Quote, blocks: &mut Vec<Block>) {
    if quote.allowances.is_empty() {
        return;
    }
    let money = &quote.terms.currency;
    let rows = quote.allowances.iter().map(|a| {
        vec![trigger(&a.trigger).to_owned(), format!("+ {}", hours(a.hours)), format!("+ {}", money.band(a.net))]
    });
    blocks.push(heading("What nobody knows yet"));
    blocks.push(table(&[("If", 3.4), ("Hours more", 1.3), ("Before tax", 1.6)], rows.collect()));
    blocks.push(Block::Text("Not in the sum: each comes only if its trigger does.".into()));
}

/// What brings an allowance about, in words.
pub fn trigger(trigger: &Trigger) -> &str {
    match trigger {
        Trigger::Finding { says, .. } | Trigger::Gap { says, .. } => says,
    }
}

/// What was booked on each decision, by kind of work, as lines of an invoice.
pub fn invoice(survey: &SurveyFile, terms: &mend_keel_core::work::quote::Terms) -> String {
    let file = &survey.file;
    let money = &terms.currency;
    let mut rows = Vec::new();
    for decision in &file.decisions {
        let name = file.part_name(decision.member_id).unwrap_or_default();
        for trade in Trade::ALL {
            let of = file.tasks.iter().filter(|t| t.decision_id == Some(decision.id) && t.operation.trade() == *trade);
            let minutes: f64 = of.map(|t| t.minutes).sum();
            let Ok(net) = terms.rate(*trade).times(minutes / 60.0) else { continue };
            if minutes > 0.0 {
                rows.push(vec![
                    name.clone(),
                    trade.label().to_owned(),
                    format!("{:.2}", minutes / 60.0),
                    money.plain(terms.rate(*trade)),
                    money.plain(net),
                    money.plain(net.tax(terms.tax)),
                    money.plain(net + net.tax(terms.tax)),
                    money.code.clone(),
                ]);
            }
        }
    }
    let columns = ["part", "what", "hours", "rate", "net", "tax", "gross", "currency"];
    sheet::table(&columns, rows.into_iter())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_tax_is_written_without_needless_digits() {
        for (hundredths, text) in [(1_900, "19"), (550, "5.5"), (0, "0"), (725, "7.25"), (2_000, "20")] {
            assert_eq!(percent(hundredths), text);
        }
    }
}
