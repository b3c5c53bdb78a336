//! The steps of the language: the one list that the parser's advice is taken from.

/// One step of the language, as it is written.
#[derive(Debug, Clone, Copy)]
pub struct StepForm {
    /// The word it begins with.
    pub word: &'static str,
    /// How it is written in full, with sample arguments: a valid phrase by itself.
    pub form: &'static str,
}

/// Every step, in the order in which the reference shows them.
pub const STEPS: &[StepForm] = &[
    StepForm { word: "whole", form: "whole" },
    StepForm { word: "first", form: "first 3" },
    StepForm { word: "last", form: "last 4" },
    StepForm { word: "char", form: "char 1" },
    StepForm { word: "chars", form: "chars 5 to 12" },
    StepForm { word: "chars", form: "chars 5 for 8" },
    StepForm { word: "drop", form: "drop first 4" },
    StepForm { word: "section", form: r#"section 2 by "-""# },
    StepForm { word: "sections", form: r#"sections 1 to 2 by "-""# },
    StepForm { word: "trim", form: "trim" },
    StepForm { word: "upper", form: "upper" },
    StepForm { word: "lower", form: "lower" },
    StepForm { word: "pad", form: r#"pad left to 6 with "0""# },
];

/// Words that people try first for a step that has another name here.
const ALSO_SAID: &[(&str, &str)] = &[
    ("left", "first"),
    ("right", "last"),
    ("start", "first"),
    ("character", "char"),
    ("characters", "chars"),
    ("part", "section"),
    ("parts", "sections"),
    ("split", "section"),
    ("field", "section"),
    ("skip", "drop"),
    ("remove", "drop"),
    ("all", "whole"),
    ("uppercase", "upper"),
    ("lowercase", "lower"),
    ("strip", "trim"),
    ("fill", "pad"),
];

/// The step that `word` was probably meant to be.
pub fn nearest_step(word: &str) -> Option<&'static StepForm> {
    let lower = word.to_lowercase();
    let meant = match ALSO_SAID.iter().find(|(said, _)| *said == lower) {
        Some((_, step)) => step,
        None => crate::words::nearest(word, STEPS.iter().map(|step| step.word))?,
    };
    STEPS.iter().find(|step| step.word == meant)
}
