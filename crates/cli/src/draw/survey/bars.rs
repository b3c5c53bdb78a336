//! Named bars with their counts.

use crate::draw::{bar, visible};

const WIDTH: usize = 32;

/// A line for each bar; none for a single bar.
pub fn draw(bars: &[(String, u64)]) -> Vec<String> {
    if bars.len() < 2 {
        return Vec::new();
    }
    let most = bars.iter().map(|(_, count)| *count).max().unwrap_or(1);
    let wide = bars.iter().map(|(name, _)| visible::width(name)).max().unwrap_or(0);
    let digits = bars.iter().map(|(_, count)| visible::grouped(*count).len()).max().unwrap_or(0);
    let line = |(name, count): &(String, u64)| {
        let blanks = " ".repeat(wide - visible::width(name));
        format!("{blanks}{name}  {:>digits$}  {}", visible::grouped(*count), bar::lying(*count, most, WIDTH))
            .trim_end()
            .to_owned()
    };
    bars.iter().map(line).collect()
}
