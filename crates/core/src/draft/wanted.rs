use super::example::Example;
use super::list::{Origin, of, one_line};
use super::rank::RankedPhrase;
use crate::phrase::quoted;
use crate::toml_text::toml_text;

/// A cut list with the best phrase, and the others as comments.
pub fn list(origin: &Origin, examples: &[Example], ranked: &[RankedPhrase], gives: &[u64], rows: u64) -> String {
    let name = (1..).map(|n| format!("part_{n}")).find(|name| !origin.columns.contains(name)).unwrap_or_default();
    let mut text =
        format!("# Drafted from {} of {}, as these examples want it:\n", origin.shown_column(), one_line(&origin.input));
    for example in examples {
        text += &format!("#   {} => {}\n", quoted(&example.value), quoted(&example.result));
    }
    text += &origin.head();
    for (index, (phrase, gives)) in ranked.iter().zip(gives).enumerate() {
        let take = toml_text(&phrase.phrase);
        text += &match index {
            0 => format!("\n# Gives a result for {}.\n[piece.{name}]\ntake = {take}\n", of(*gives, rows, "rows")),
            _ => format!("# Or this, which gives one for {}:\n# take = {take}\n", of(*gives, rows, "rows")),
        };
    }
    text
}
