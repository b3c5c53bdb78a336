//! Names for related parts, from the data.

use super::structure::Node;

/// Names parts together: a label names the part after it, and the numbers identify years, months and days.
pub fn name_parts(parts: &mut [Node]) {
    if let [Node::Same(label), Node::Leaf(leaf)] = parts {
        let name: String = label.to_lowercase().chars().filter(|c| c.is_ascii_alphanumeric()).collect();
        if name.starts_with(|c: char| c.is_ascii_lowercase()) {
            leaf.hint = Some(name);
        }
        return;
    }
    let within = |node: &Node, least: u32, most: u32, width: usize| match node {
        Node::Leaf(leaf) => {
            let fits = |text: &&String| {
                text.len() <= width && text.parse::<u32>().is_ok_and(|number| (least..=most).contains(&number))
            };
            leaf.texts.iter().filter(fits).count() as f64 >= 0.98 * leaf.texts.len() as f64
        }
        _ => false,
    };
    let is_year = |node: &Node| within(node, 1900, 2099, 4);
    let Some(year) = parts.iter().position(is_year) else { return };
    hint(&mut parts[year], "year");
    let others: Vec<usize> = match (year, parts.len()) {
        (0, _) => (1..parts.len()).collect(),
        (2, 3) => vec![1, 0],
        _ => return,
    };
    let figures = |node: &Node, most| within(node, 1, most, 2);
    match others.as_slice() {
        // After a year the order is fixed; before it, only if a number cannot be a month.
        [month, day, ..]
            if figures(&parts[*month], 12) && figures(&parts[*day], 31) && (year == 0 || !figures(&parts[*day], 12)) =>
        {
            hint(&mut parts[*month], "month");
            hint(&mut parts[*day], "day");
        }
        [day, month, ..]
            if year == 2 && figures(&parts[*day], 31) && !figures(&parts[*day], 12) && figures(&parts[*month], 12) =>
        {
            hint(&mut parts[*month], "month");
            hint(&mut parts[*day], "day");
        }
        [month] if year == 0 && figures(&parts[*month], 12) => hint(&mut parts[*month], "month"),
        _ => {}
    }
}

fn hint(node: &mut Node, name: &str) {
    if let Node::Leaf(leaf) = node {
        leaf.hint = Some(name.to_owned());
    }
}
