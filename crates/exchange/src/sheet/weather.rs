//! A weather forecast as a comma-separated file, an hour a row.

use super::{Loaded, load, write};

/// An hour that is foretold.
#[derive(Debug, Clone, PartialEq)]
pub struct WeatherRow {
    /// As the file says; the caller reads it as a time.
    pub at: String,
    /// °C, %, mm in the hour, m/s.
    pub temperature: f64,
    pub humidity: f64,
    pub rain: f64,
    pub wind: f64,
}

pub fn write_weather<'a>(rows: impl Iterator<Item = &'a WeatherRow>) -> String {
    write(
        &["time", "temperature", "humidity", "rain", "wind"],
        rows.map(|r| {
            let numbers = [r.temperature, r.humidity, r.rain, r.wind].map(|n| n.to_string());
            [vec![r.at.clone()], numbers.to_vec()].concat()
        }),
    )
}

/// Reads a forecast: time, temperature in °C, humidity in %, rain in mm and wind in m/s.
pub fn read_weather(bytes: &[u8]) -> Loaded<WeatherRow> {
    load(bytes, &["time", "temperature", "humidity", "rain", "wind"], |c| {
        let at = c.needed("time").map(str::to_owned);
        let (temperature, humidity) = (c.within("temperature", -40.0, 60.0), c.within("humidity", 0.0, 100.0));
        let (rain, wind) = (c.within("rain", 0.0, 300.0), c.within("wind", 0.0, 80.0));
        Some(WeatherRow { at: at?, temperature: temperature?, humidity: humidity?, rain: rain?, wind: wind? })
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_forecast_comes_back_as_it_went_out() {
        let hour = |at: &str, rain| WeatherRow { at: at.into(), temperature: 11.5, humidity: 71.0, rain, wind: 3.2 };
        let rows = [hour("2026-11-27T08:00:00Z", 0.0), hour("2026-11-27T09:00:00Z", 1.4)];
        let loaded = read_weather(write_weather(rows.iter()).as_bytes());
        assert!(loaded.faults.is_empty());
        assert_eq!(loaded.rows.into_iter().map(|(_, r)| r).collect::<Vec<_>>(), rows);
    }

    #[test]
    fn what_no_weather_is_gets_its_line_and_column() {
        let file = "time,temperature,humidity,rain,wind\n2026-11-27T08:00,12,140,0,3\n,12,60,0,3\n2026-11-27T10:00,warm,60,-1,3\n";
        let loaded = read_weather(file.as_bytes());
        let told: Vec<(u64, &str)> = loaded.faults.iter().map(|f| (f.line, f.column.as_str())).collect();
        assert!(loaded.rows.is_empty());
        assert_eq!(told, [(2, "humidity"), (3, "time"), (4, "temperature"), (4, "rain")]);
    }
}
