//! The structure of values, inferred from a sample: delimiters, constant parts, and changes between letters and digits.

use super::access::Access;
use super::marks::{SAME, STEADY, commonest, divider, is_prefix, optional_marks, spaced};
use super::naming::name_parts;
use super::plans::Plans;
use crate::phrase::quoted;
use crate::survey::{What, runs_of};

/// Share of values with more sections than usual above which these are not exceptions.
const LONGER: f64 = 0.03;
const DEEPEST: usize = 4;

#[derive(Debug, Clone, PartialEq)]
pub enum Node {
    Leaf(Leaf),
    Same(String),
    Nothing,
    Sections {
        by: String,
        parts: Vec<Node>,
    },
    Brackets {
        marks: (String, String),
        parts: [Box<Node>; 3],
    },
    Optional {
        main: Box<Node>,
        by: String,
        rest: Box<Node>,
        at_start: bool,
    },
    Joined(Vec<Node>),
    /// Texts around a number, divided loosely. No form can express them.
    AroundNumber(Vec<Node>),
}

#[derive(Debug, Clone, PartialEq)]
pub struct Leaf {
    pub access: Access,
    pub hint: Option<String>,
    pub texts: Vec<String>,
    pub expected: bool,
}

/// Infers the structure of texts. `expected` says whether every value should have them.
pub fn structure(texts: &[String], expected: bool, plans: &mut Plans) -> Node {
    Builder { plans }.node(texts, Access::default(), expected, 0)
}

struct Builder<'p> {
    plans: &'p mut Plans,
}

impl Builder<'_> {
    fn node(&mut self, texts: &[String], access: Access, expected: bool, depth: usize) -> Node {
        if texts.is_empty() {
            return Node::Nothing;
        }
        if depth > 0
            && let Some(same) = always_the_same(texts)
        {
            return Node::Same(same);
        }
        if depth < DEEPEST {
            let divided = self
                .mailbox(texts, &access, expected)
                .or_else(|| self.brackets(texts, &access, expected, depth))
                .or_else(|| self.sections(texts, &access, expected, depth))
                .or_else(|| self.optional(texts, &access, expected, depth))
                .or_else(|| self.runs(texts, &access, expected))
                .or_else(|| self.around_number(texts, &access, expected, depth));
            if let Some(node) = divided {
                return node;
            }
        }
        Node::Leaf(Leaf { access, hint: None, texts: texts.to_vec(), expected })
    }

    fn part(&mut self, texts: &[String], access: &Access, step: &str, expected: bool, depth: usize) -> Node {
        let parts = self.plans.each(step, texts);
        self.node(&parts, access.then(step), expected, depth + 1)
    }

    fn leaf(&mut self, texts: &[String], access: &Access, step: &str, hint: &str, expected: bool) -> Node {
        let texts = self.plans.each(step, texts);
        if texts.is_empty() {
            return Node::Nothing;
        }
        Node::Leaf(Leaf { access: access.then(step), hint: Some(hint.to_owned()), texts, expected })
    }

    fn mailbox(&mut self, texts: &[String], access: &Access, expected: bool) -> Option<Node> {
        let is_address = |text: &&String| {
            let sides = text.split_once('@').filter(|(mailbox, domain)| !mailbox.is_empty() && !domain.is_empty());
            sides.is_some_and(|(_, domain)| !domain.contains('@')) && text.contains('.') && !text.contains(' ')
        };
        let addresses = texts.iter().filter(is_address);
        if (addresses.count() as f64) < STEADY * texts.len() as f64 {
            return None;
        }
        let parts = vec![
            self.leaf(texts, access, "before \"@\"", "mailbox", expected),
            self.leaf(texts, access, "after \"@\"", "domain", expected),
        ];
        Some(Node::Sections { by: "@".to_owned(), parts })
    }

    fn brackets(&mut self, texts: &[String], access: &Access, expected: bool, depth: usize) -> Option<Node> {
        for (open, close) in [("(", ")"), ("[", "]"), ("{", "}"), ("<", ">")] {
            let has = |text: &&String| {
                let inside = text.split_once(open).and_then(|(_, rest)| rest.split_once(close)).map(|(inside, _)| inside);
                // Empty brackets hold no piece.
                inside.is_some_and(|inside| !inside.is_empty())
                    && text.matches(open).count() == 1
                    && text.matches(close).count() == 1
            };
            let with: Vec<&String> = texts.iter().filter(has).collect();
            if (with.len() as f64) < STEADY * texts.len() as f64 {
                continue;
            }
            let nearly =
                |of: &dyn Fn(&str) -> bool| with.iter().filter(|text| of(text)).count() as f64 >= SAME * with.len() as f64;
            let (spaced_open, spaced_close) = (format!(" {open}"), format!("{close} "));
            let open = if nearly(&|text| text.contains(&spaced_open)) { spaced_open.as_str() } else { open };
            let close = if nearly(&|text| text.contains(&spaced_close)) { spaced_close.as_str() } else { close };
            let bare = (open.trim(), close.trim());
            let step = format!("between {} and {}", quoted(bare.0), quoted(bare.1));
            let addresses = self.plans.each(&step, texts);
            let inside = self
                .mailbox(&addresses, &access.then(&step), expected)
                .unwrap_or_else(|| self.leaf(texts, access, &step, "in_brackets", expected));
            let side = |builder: &mut Self, step: String| {
                let parts = builder.plans.each(&step, texts);
                if (parts.len() as f64) < STEADY * texts.len() as f64 {
                    return Node::Nothing;
                }
                builder.node(&parts, access.then(&step), expected, depth + 1)
            };
            let before = side(self, format!("before {}", quoted(open)));
            let after = side(self, format!("after {}", quoted(close)));
            let parts = [Box::new(before), Box::new(inside), Box::new(after)];
            return Some(Node::Brackets { marks: (open.to_owned(), close.to_owned()), parts });
        }
        None
    }

    fn sections(&mut self, texts: &[String], access: &Access, expected: bool, depth: usize) -> Option<Node> {
        let (by, count) = divider(texts)?;
        let longer = texts.iter().filter(|text| text.matches(by.as_str()).count() >= count).count();
        let goes_on = longer as f64 > LONGER * texts.len() as f64;
        let written = quoted(&by);
        let mut parts: Vec<Node> = Vec::new();
        for n in 1..=count {
            let step = match n {
                n if n == count && goes_on => format!("sections {n} to end by {written}"),
                n => format!("section {n} by {written}"),
            };
            parts.push(self.part(texts, access, &step, expected, depth));
        }
        name_parts(&mut parts);
        Some(Node::Sections { by, parts })
    }

    fn optional(&mut self, texts: &[String], access: &Access, expected: bool, depth: usize) -> Option<Node> {
        let marks = optional_marks(texts);
        let first = marks.first()?;
        let before = self.plans.each(&format!("before {}", quoted(first)), texts);
        let after = self.plans.each(&format!("after {}", quoted(first)), texts);
        let without: Vec<String> = texts.iter().filter(|text| !text.contains(first.as_str())).cloned().collect();
        Some(if is_prefix(&before, &after, &without) {
            let by = spaced(first, texts);
            let mains: Vec<String> = after.into_iter().chain(without).collect();
            let main = access.then(&format!("after {}", quoted(&by))).or(access);
            let main = Box::new(self.kept(&mains, main, expected, depth + 2));
            let rest = self.kept(&before, access.then(&format!("before {}", quoted(&by))), false, depth + 2);
            Node::Optional { main, by, rest: Box::new(rest), at_start: true }
        } else {
            self.tails(texts, access, expected, depth, &marks)
        })
    }

    /// An optional part or its counterpart: a piece even if it is constant.
    fn kept(&mut self, texts: &[String], access: Access, expected: bool, depth: usize) -> Node {
        match self.node(texts, access.clone(), expected, depth) {
            Node::Same(_) | Node::Nothing if !texts.is_empty() => {
                Node::Leaf(Leaf { access, hint: None, texts: texts.to_vec(), expected })
            }
            node => node,
        }
    }

    fn tails(&mut self, texts: &[String], access: &Access, expected: bool, depth: usize, marks: &[String]) -> Node {
        let any = |marks: &[String]| match marks {
            [mark] => quoted(&spaced(mark, texts)),
            marks => format!("any of {}", quoted(&marks.concat())),
        };
        let step = format!("before {}", any(marks));
        let without = texts.iter().filter(|text| marks.iter().all(|mark| !text.contains(mark.as_str()))).cloned();
        let mains: Vec<String> = self.plans.each(&step, texts).into_iter().chain(without).collect();
        let mut node = self.kept(&mains, access.then(&step).or(access), expected, depth + 2);
        for (index, mark) in marks.iter().enumerate() {
            let by = spaced(mark, texts);
            let after = access.then(&format!("after {}", quoted(&by)));
            let mut rests = self.plans.each(&format!("after {}", quoted(&by)), texts);
            let later = &marks[index + 1..];
            let goes_on = rests.iter().any(|rest| later.iter().any(|mark| rest.contains(mark.as_str())));
            let path = if goes_on {
                let step = format!("before {}", any(later));
                let whole = |rest: &String| {
                    let cut = self.plans.each(&step, std::slice::from_ref(rest));
                    cut.into_iter().next().unwrap_or_else(|| rest.clone())
                };
                rests = rests.iter().map(whole).collect();
                after.then(&step).or(&after)
            } else {
                after
            };
            let rest = Box::new(self.kept(&rests, path, false, depth + 2));
            node = Node::Optional { main: Box::new(node), by, rest, at_start: false };
        }
        node
    }

    fn runs(&mut self, texts: &[String], access: &Access, expected: bool) -> Option<Node> {
        let makes = |text: &String| -> Option<Vec<bool>> {
            let mut makes: Vec<bool> = Vec::new();
            for run in runs_of(text) {
                let What::Kind(kinds) = run.what else { return None };
                if makes.last() != Some(&kinds.has_digits()) {
                    makes.push(kinds.has_digits());
                }
            }
            Some(makes)
        };
        let (make, most) = commonest(texts.iter().map(makes))?;
        let make = make.filter(|make| (2..=4).contains(&make.len()))?;
        if (most as f64) < STEADY * texts.len() as f64 {
            return None;
        }
        let fitting: Vec<&String> = texts.iter().filter(|text| makes(text).as_ref() == Some(&make)).collect();
        let widths = |text: &&String| -> Vec<usize> {
            let mut widths: Vec<(bool, usize)> = Vec::new();
            for run in runs_of(text) {
                let is_digits = matches!(&run.what, What::Kind(kinds) if kinds.has_digits());
                match widths.last_mut() {
                    Some((last, width)) if *last == is_digits => *width += run.count,
                    _ => widths.push((is_digits, run.count)),
                }
            }
            widths.into_iter().map(|(_, width)| width).collect()
        };
        let (steady, same) = commonest(fitting.iter().map(widths))?;
        let is_steady = same as f64 >= SAME * fitting.len() as f64;
        let mut parts = Vec::new();
        let (mut from, mut counts) = (0, [0, 0]);
        for (index, is_digits) in make.iter().enumerate() {
            counts[usize::from(*is_digits)] += 1;
            let class = if *is_digits { "digits" } else { "letters" };
            let step = match (is_steady, steady.get(index)) {
                (true, Some(width)) => {
                    from += width;
                    match index {
                        0 => format!("first {width}"),
                        _ => format!("chars {} for {width}", from - width + 1),
                    }
                }
                _ => format!("run {} of {class}", counts[usize::from(*is_digits)]),
            };
            let texts = self.plans.each(&step, texts);
            parts.push(match always_the_same(&texts) {
                Some(same) => Node::Same(same),
                None => Node::Leaf(Leaf { access: access.then(&step), hint: None, texts, expected }),
            });
        }
        Some(Node::Joined(parts))
    }

    fn around_number(&mut self, texts: &[String], access: &Access, expected: bool, depth: usize) -> Option<Node> {
        let one = texts.iter().filter(|text| self.plans.each("number", std::slice::from_ref(*text)).len() == 1);
        let one = one.filter(|text| text.contains(' ') && !text.starts_with(|c: char| c.is_ascii_digit()));
        let one: Vec<String> = one.cloned().collect();
        if (one.len() as f64) < STEADY * texts.len() as f64 || depth == 0 {
            return None;
        }
        let parts = vec![
            self.leaf(texts, access, "before digits then trim", "words", expected),
            self.leaf(texts, access, "number", "number", expected),
        ];
        Some(Node::AroundNumber(parts))
    }
}

fn always_the_same(texts: &[String]) -> Option<String> {
    let (text, most) = commonest(texts.iter())?;
    let is_same = most as f64 >= SAME * texts.len() as f64 && texts.len() > 1;
    is_same.then(|| text.clone())
}
