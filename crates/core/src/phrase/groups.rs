//! The names of the groups of a regular expression, without compiling it.

use regex_syntax::ParserBuilder;
use regex_syntax::hir::{Hir, HirKind};

use super::ast::Regex;

/// The groups of a regular expression in order, each with its name if it has one; none if it is invalid.
pub fn group_names(regex: &Regex) -> Vec<Option<String>> {
    let mut parser = ParserBuilder::new();
    parser.ignore_whitespace(regex.flags.contains('x'));
    let mut groups = Vec::new();
    if let Ok(hir) = parser.build().parse(&regex.pattern) {
        visit(&hir, &mut groups);
    }
    groups.sort_by_key(|(number, _)| *number);
    groups.into_iter().map(|(_, name)| name).collect()
}

fn visit(hir: &Hir, groups: &mut Vec<(u32, Option<String>)>) {
    match hir.kind() {
        HirKind::Capture(group) => {
            groups.push((group.index, group.name.as_ref().map(ToString::to_string)));
            visit(&group.sub, groups);
        }
        HirKind::Repetition(repeated) => visit(&repeated.sub, groups),
        HirKind::Concat(parts) | HirKind::Alternation(parts) => parts.iter().for_each(|part| visit(part, groups)),
        HirKind::Empty | HirKind::Literal(_) | HirKind::Class(_) | HirKind::Look(_) => {}
    }
}
