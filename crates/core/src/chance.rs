//! Numbers that look drawn by chance and are the same at every run, on every machine, in whatever order they are asked for.

/// Every bit of `z` changes half of the result's: the finaliser of SplitMix64 (Steele, Lea and Flood 2014).
pub fn scattered(mut z: u64) -> u64 {
    z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
    z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
    z ^ (z >> 31)
}
