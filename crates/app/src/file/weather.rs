//! The weather that is foretold as the clock hours of a yard's days, and the coats that wait for it.

use std::collections::HashMap;

use jiff::tz::TimeZone;
use jiff::{SignedDuration, Timestamp};
use mend_keel_core::finish::coats::{Area, Hour, Step};
use mend_keel_exchange::sheet::weather::WeatherRow;
use mend_keel_store::plans::{Coat, Plan};
use mend_keel_store::weather::{self, Foretold};
use mend_keel_store::{Store, StoreError};

use super::finish::steps_of;

/// Days looked ahead.
pub const DAYS: usize = 14;
const HOUR: i64 = 3_600;

/// A row of a forecast's file as it is kept, under the moment its hour begins.
pub fn foretold(row: &WeatherRow, at: String, simulated: bool) -> Foretold {
    let WeatherRow { temperature, humidity, rain, wind, .. } = *row;
    Foretold { at, temperature, humidity, rain, wind, simulated }
}

/// The forecast that is kept, with what of today has passed.
pub async fn kept(store: &Store, now: Timestamp) -> Result<Vec<Foretold>, StoreError> {
    // A day has up to 25 hours.
    weather::forecast(store, &(now - SignedDuration::from_hours(26)).to_string()).await
}

/// The hours ahead, from midnight of today on.
#[derive(Debug, Clone)]
pub struct Outlook {
    pub midnight: Timestamp,
    /// 1 Monday … 7.
    pub first_weekday: u32,
    pub weather: Vec<Hour>,
    /// The first hour a coat may still begin in.
    pub now: usize,
    pub simulated: bool,
}

impl Outlook {
    /// Out of a forecast, as far as it goes without a gap; `None` where it does not reach now.
    pub fn of(forecast: &[Foretold], now: Timestamp) -> Option<Self> {
        let today = now.to_zoned_datetime(TimeZone::system()).start_of_day().ok()?;
        let midnight = today.timestamp();
        let hours: HashMap<i64, &Foretold> = forecast
            .iter()
            .filter_map(|f| Some((f.at.parse::<Timestamp>().ok()?.as_second().div_euclid(HOUR), f)))
            .collect();
        let first = midnight.as_second().div_euclid(HOUR);
        let passed = (now.as_second() - midnight.as_second()).div_euclid(HOUR);
        let told = |f: &Foretold| Hour { temperature: f.temperature, humidity: f.humidity, rain: f.rain, wind: f.wind };
        let at_hand = hours.get(&(first + passed))?;
        let mut weather = Vec::new();
        for h in 0..(DAYS * 24) as i64 {
            match hours.get(&(first + h)) {
                Some(hour) => weather.push(told(hour)),
                // What is past needs no forecast.
                None if h < passed => weather.push(told(at_hand)),
                None => break,
            }
        }
        Some(Self {
            midnight,
            first_weekday: today.weekday().to_monday_one_offset().unsigned_abs().into(),
            now: usize::try_from(passed + 1).unwrap_or(0),
            simulated: forecast.iter().any(|f| f.simulated),
            weather,
        })
    }

    /// The moment an hour begins.
    pub fn at(&self, hour: usize) -> Timestamp {
        self.midnight + SignedDuration::from_hours(hour as i64)
    }

    /// The first hour that begins no earlier than a moment.
    fn hour(&self, at: Timestamp) -> usize {
        let seconds = at.as_second() - self.midnight.as_second();
        usize::try_from(-(-seconds).div_euclid(HOUR)).unwrap_or(0)
    }
}

/// A plan with coats still to lay, as an area to be placed.
#[derive(Debug)]
pub struct Waiting<'p> {
    pub plan: &'p Plan,
    pub what: String,
    pub coats: Vec<&'p Coat>,
    pub area: Area,
}

/// Plans with coats still to lay, each as far as its recipe is known.
pub fn waiting<'p>(plans: &'p [Plan], coats: &'p [Coat], outlook: &Outlook) -> Vec<Waiting<'p>> {
    plans
        .iter()
        .filter_map(|plan| {
            let steps = steps_of(plan)?;
            let left: Vec<&Coat> = coats.iter().filter(|c| c.plan_id == plan.id && c.done_at.is_none()).collect();
            let next = left.first()?;
            let earliest = next.earliest_at.parse().map_or(outlook.now, |at| outlook.hour(at));
            // A plan none of whose coats is on waits for nothing but the weather.
            let begun = left.len() < steps.len();
            let not_before = if begun { outlook.now.max(earliest) } else { outlook.now };
            let steps = left
                .iter()
                .map(|c| usize::try_from(c.seq).ok().and_then(|seq| steps.get(seq)).map(Step::of))
                .collect::<Option<Vec<Step>>>()?;
            Some(Waiting {
                plan,
                what: plan.asked["what"].as_str().unwrap_or_default().to_owned(),
                coats: left,
                area: Area {
                    area: plan.asked["area"].as_f64()?,
                    outside: plan.asked["place"].as_str() != Some("shed"),
                    after: Vec::new(),
                    not_before,
                    steps,
                },
            })
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn hour(at: Timestamp) -> Foretold {
        Foretold { at: at.to_string(), temperature: 15.0, humidity: 60.0, rain: 0.0, wind: 2.0, simulated: false }
    }

    #[test]
    fn a_forecast_is_used_as_far_as_it_goes_without_a_gap() {
        let now: Timestamp = "2026-06-10T10:20:00Z".parse().unwrap();
        let hours: Vec<Foretold> =
            (0..60).filter(|h| *h != 40).map(|h| hour(now + SignedDuration::from_hours(h))).collect();
        let outlook = Outlook::of(&hours, now).expect("it reaches now");
        let begun = usize::try_from((now.as_second() - outlook.midnight.as_second()) / HOUR).unwrap();
        assert_eq!(outlook.weather.len(), begun + 40, "the hour that is missing ends it");
        assert_eq!(outlook.now, begun + 1);
        assert!(Outlook::of(&hours[3..], now).is_none() && Outlook::of(&[], now).is_none());
        assert_eq!(outlook.hour(outlook.at(7)), 7);
        assert_eq!(outlook.hour(outlook.at(7) + SignedDuration::from_mins(1)), 8);
    }
}
