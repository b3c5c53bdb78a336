//! Reproducible made-up codes.

/// Reproducible pseudo-random numbers.
pub fn dice(n: u64) -> u64 {
    let mut x = n.wrapping_mul(0x9E37_79B9_7F4A_7C15).wrapping_add(1);
    for shift in [31, 27, 33] {
        x = (x ^ (x >> shift)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
    }
    x ^ (x >> 29)
}

/// Part codes of the ropeway, 40 of 10 000 irregular in five ways.
pub fn part_codes() -> Vec<String> {
    const GRADE: &[u8] = b"ABCDEFGHJKLMNPQRSTUVWXYZ0123456789";
    let code = |row: u64| {
        let family = ["GRP", "HNG", "SHV", "BRK", "CAB", "TWR"][(dice(row) % 6) as usize];
        let serial = format!("{:08}", dice(row + 1_000_000) % 100_000_000);
        let grade: String = (0..4).map(|n| char::from(GRADE[(dice(row * 4 + n) % 34) as usize])).collect();
        (family, serial, grade)
    };
    let row = |row: u64| {
        let (family, serial, grade) = code(row);
        match row {
            _ if row % 250 != 7 => format!("{family}-{serial}-{grade}"),
            _ => match row / 250 % 5 {
                0 => format!("{family}-{serial}-{grade}  "),
                1 => format!("{family}-{serial}"),
                2 => format!("{}-{serial}-{grade}", &family[..2]),
                3 => format!("{family}–{serial}-{grade}"),
                _ => {
                    let at = (row / 1250 % 8) as usize;
                    format!("{family}-{}O{}-{grade}", &serial[..at], &serial[at + 1..])
                }
            },
        }
    };
    (1..=10_000).map(row).collect()
}
