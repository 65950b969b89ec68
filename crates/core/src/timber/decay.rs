//! How decay runs in wood that stays wet.

/// How far a front runs in a year along the grain, mm, least and most (*yard rule*, handbook 11).
pub const FRONT: [f64; 2] = [20.0, 60.0];
/// … and across it, as a share of that (*yard rule*).
pub const ACROSS: f64 = 1.0 / 3.0;
/// Wetter than this, %, it runs.
pub const WET: f64 = 20.0;

/// How much faster or slower it runs for durability 1 (very durable) … 5 (perishable) (*yard rule*).
const BY_DURABILITY: [f64; 5] = [0.4, 0.6, 1.0, 1.6, 2.2];

/// The front of decay in wood that stays wet, mm a year along the grain, least and most. `durability`: 1 very durable … 5 perishable;
/// a wood nobody named may be any of them.
pub fn front(durability: Option<u8>) -> [f64; 2] {
    let [slow, fast] = match durability {
        Some(class @ 1..=5) => [BY_DURABILITY[usize::from(class) - 1]; 2],
        _ => [BY_DURABILITY[0], BY_DURABILITY[4]],
    };
    [FRONT[0] * slow, FRONT[1] * fast]
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn perishable_wood_goes_five_times_as_fast_as_the_most_durable_and_an_unknown_one_may_be_either() {
        assert_eq!(front(Some(1)), [8.0, 24.0]);
        assert_eq!(front(Some(3)), FRONT);
        assert_eq!(front(Some(5)), [44.0, 132.0]);
        assert_eq!(front(None), [8.0, 132.0]);
        assert_eq!(front(Some(9)), front(None));
    }
}
