//! Suggestions for what users of other programs write first.
//!
//! All matching rules rewrite an invalid phrase. The result is suggested only if it parses.

use std::sync::LazyLock;

use regex::{Captures, Regex};

/// Rules for steps: a pattern and its replacement. `Q` is a quoted text or a regular expression, `N` a number, `I` a name.
const STEPS: &[(&str, &str)] = &[
    // Fillers come first, because they hide later words.
    (r"^(?:please )?(?:get|take|extract|return|select|cut|find|keep only|give me)(?: the| only)? ", ""),
    (r"\b(?:everything|all|text|part|characters?|chars?|string) (before|after|from|between)\b", "$1"),
    (r"\b(first|last) (N) (?:characters?|chars?|letters?|digits?|symbols?)\b", "$1 $2"),
    (r"\bthe (first|last|number|text)\b", "$1"),
    // Questions.
    (r"^(contains|starts with|ends with|fits|one of|matches|blank)\b", "whether $1"),
    (r"^(?:is|isa|is it|is an?) ?(?:a )?(number|numeric|integer|int|digits?)\??$", "whether digits"),
    (r"^is (?:empty|blank|null|missing)\??$", "whether blank"),
    (r"^is (?:an? )?(?:e-?mail|email address)\??$", "whether email"),
    (r"^is (?:in )?(?:all )?(uppercase|lowercase|letters|alphanumeric)\??$", "whether $1"),
    (r"^is ?(?:alpha)\??$", "whether letters"),
    (r"\bwhether matches (Q)", "whether fits $1"),
    // By condition.
    (r"^case when\b", "if"),
    (r"\bwhen (.+?) then (.+?) else\b", "if $1 then $2 else"),
    (r"\b(?:elif|elseif|elsif)\b", "else if"),
    (r"\botherwise\b", "else"),
    (r"^(if .+) end$", "$1"),
    (
        r"\b(?:map|recode|translate|switch|case|decode|lookup) ?\(?(?:I, ?)?(Q) ?(?:to|as|then|->|=>|=|:|,) ?(Q)",
        "lookup $1 as $2",
    ),
    (r"(lookup .*Q),? ?(?:and |when |case )?(Q) ?(?:to|then|->|=>|=|:) ?(Q)", "$1, $2 as $3"),
    (r"(lookup .*Q),? ?(?:and |when |case )?(Q) ?(?:to|then|->|=>|=|:) ?(Q)", "$1, $2 as $3"),
    (r"(lookup .*Q),? ?(?:and |when |case )?(Q) ?(?:to|then|->|=>|=|:) ?(Q)", "$1, $2 as $3"),
    (
        r"\b(?:lookup|look up|vlookup|replace with|replace from|replace using|map (?:in|with|by|using|from)|translate with) (?:from |in |with |by |using )?(?:table |file |the file )?(Q)$",
        "lookup in $1",
    ),
    (r"^if (?:=|==|is|equals?|equal to) ?(Q)", "if one of $1"),
    // Positions.
    (r"\bleft ?\(? ?(?:I, ?)?(N)(?: ?\))?", "first $1"),
    (r"\bright ?\(? ?(?:I, ?)?(N)(?: ?\))?", "last $1"),
    (r"\b(?:substring|substr|mid|slice)(?: ?\(| from| of)? ?(?:I, ?)?(N)(?:,| for| length| ) ?(N)(?: ?\))?", "chars $1 for $2"),
    (r"\b(?:substring|substr|slice)(?: from)? (N) ?(?:to|-|:) ?(N)", "chars $1 to $2"),
    (r"\b(?:chars?|characters?|positions?|pos) (N) ?(?:-|–|\.\.|:|,|and|until|till|through) ?(N)", "chars $1 to $2"),
    (r"\b(?:characters?|positions?|pos) (N) (to|for) (N)", "chars $1 $2 $3"),
    (r"\b(?:character|position|pos|letter) (N)$", "char $1"),
    // Parts.
    (
        r"\bsplit ?\(? ?(?:I, ?)?(?:by |on |at )?(Q),? ?\)? ?(?:\[|part |nr |number |item |get |at )?(N)\]?\)?",
        "section $2 by $1",
    ),
    (r"\bsplit (N) (?:by|on|at) (Q)", "section $1 by $2"),
    (r"\b(?:split|explode|tokenize) ?\(? ?(?:by |on |at |with )?(Q)(?: ?\))?", "sections by $1"),
    (r"\b(?:part|field|token|piece|column) (N) (?:by|of|on|split by) (Q)", "section $1 by $2"),
    (r"\bword (N)", "section $1 by spaces"),
    (r"\b(first|last) word\b", "section $1 by spaces"),
    (r"\bsection first\b", "section 1"),
    (r"\b(?:until|up to|till) (Q)", "before $1"),
    (r"\b(before|after|between) (?:the )?(?:first|1) (Q)", "$1 $2"),
    (r"\b(before|after) (?:the )?second (Q)", "$1 2nd $2"),
    (r"\b(before|after) (?:the )?third (Q)", "$1 3rd $2"),
    // Matching.
    (r"\b(?:regex|regexp|regexp_extract|re|pattern|matching|find|search) ?\(? ?(Q)(?: ?\))?", "match $1"),
    (r"\bonly (digits|letters|numbers)\b|\b(digits|letters) only\b", "keep $1$2"),
    (r"\bkeep numbers\b", "keep digits"),
    (r"\b(?:capture|captures|all groups|capture groups|groups) (?:of |from |in )?(Q)", "groups of $1"),
    // Joining.
    (
        r"(?:\bthen )?\b(?:join|concat|concatenate|glue|implode)(?:ed)? ?\(? ?(?:with |by |using )?(Q)(?: ?\))?$",
        "joined with $1",
    ),
    // Tidying.
    (r"\b(?:lstrip|ltrim|strip left|trim start|left trim)\b(?: ?\(\))?", "trim left"),
    (r"\b(?:rstrip|rtrim|strip right|trim end|right trim)\b(?: ?\(\))?", "trim right"),
    (r"\b(?:strip|trim spaces|strip spaces|trim all)\b(?: ?\(\))?", "trim"),
    (r"\b(?:to |make |in )?(?:uppercase|upper case|upcase|ucase|capitals)\b(?: ?\(\))?$", "upper"),
    (r"\b(?:to |make |in )?(?:lowercase|lower case|downcase|lcase)\b(?: ?\(\))?$", "lower"),
    (r"\b(?:proper|capitalize|title case|initcap)\b(?: ?\(\))?", "title"),
    (r"\b(?:remove|delete|drop|strip) (?:all )?(Q)", r#"replace $1 with """#),
    (r"\b(?:remove|delete) (?:all )?(digits|letters|spaces|punctuation)", "drop $1"),
    (r"\b(?:replace|substitute|change) (Q) ?(?:by|to|->|=>|,|into)? ?(Q)", "replace $1 with $2"),
    (
        r"\b(?:zero ?pad|zfill|pad zeros?|pad with zeros|lpad|left ?pad|pad)(?: left)?(?: to| with| by)? (N)(?: digits| characters)?(?:,? with 0|,? 0)?$",
        "pad left to $1 with \"0\"",
    ),
    (r"\b(?:lpad|left ?pad|pad)(?: to)? (N),? (?:with )?(Q)", "pad left to $1 with $2"),
    (r"\b(?:rpad|right ?pad)(?: to)? (N),? (?:with )?(Q)", "pad right to $1 with $2"),
    (r"\b(?:add|prepend|put) (Q) (?:before|in front|at the start)$", "prefix $1"),
    (r"\b(?:add|append|put) (Q)(?: after| at the end)?$", "suffix $1"),
    (r"\bprepend (Q)", "prefix $1"),
    (
        r"\b(?:append|compute|calculate|generate)(?: the| a)? check digit (luhn|gs1|isbn10|mod97|mod11-2|iban|verhoeff|damm)\b",
        "add check digit $1",
    ),
    (r"\bdate (Q) ?(?:to|into|->|=>|format|formatted as|written as) ?(Q)", "date $1 as $2"),
    (r"\blen(?:gth)?(?: ?\(\)| of(?: the)? (?:text|value|string))?$", "length"),
    (r"\b(?:to |as |parse )?(?:number|int|integer|float|numeric)\b(?: ?\(\))?$", "plain number"),
    // After the rules for numbers.
    (
        r"\b(?:row_number|rownumber|row_num|rownum|row_no|row_id|row index|line_number|line|row)(?: ?\(\))?(?: plain)?(?: number)?$",
        "row number",
    ),
];

const CONDITIONS: &[(&str, &str)] = &[
    (r"^(?:is|must be|should be|has to be|be)(?: an?| all| only)? ", ""),
    (r"^(?:must|should|has to) ", ""),
    (r"^(?:not (?:empty|blank|null|missing)|mandatory|present|needed)$", "required"),
    (r"^(?:empty|null)$", "blank"),
    (r"^(?:integer|int)$", "digits"),
    (r"^(?:=|==|equals?|equal to|same text as)? ?(Q)$", "one of $1"),
    (r"^(?:!=|<>|not equals?|not equal to|differs from) ?(Q)$", "not one of $1"),
    (r"^(?:in|any of|among) ?\(? ?(Q(?:, ?Q)*)(?: ?\))?$", "one of $1"),
    (r"^(?:matches|match|regex|regexp|pattern|like) ?(Q)$", "fits $1"),
    (r"^(?:between|from)? ?(N) ?(?:and|-|to|\.\.) ?(N)$", "range $1 to $2"),
    (r"^(?:>=|at least|min(?:imum)?|from) ?(N)$", "range $1 to"),
    (r"^(?:<=|at most|max(?:imum)?|up to) ?(N)$", "range to $1"),
    (r"^(?:len|length|width) ?(?:=|==|is|of|exactly) ?(N)$", "length $1"),
    (r"^(?:len|length|width)? ?(N) (?:characters?|chars|digits long|long)$", "length $1"),
    (r"^(?:min(?:imum)? length|length (?:at least|>=)|at least) ?(N)(?: characters?| chars)?$", "length $1 to"),
    (r"^(?:max(?:imum)? length|length (?:at most|<=)|at most) ?(N)(?: characters?| chars)?$", "length 0 to $1"),
    (r"^length (N) ?(?:-|and|\.\.|,) ?(N)$", "length $1 to $2"),
    (r"^(?:begins?|starts?)(?: with)? (Q)", "starts with $1"),
    (r"^(?:ends?|finishes)(?: with| in)? (Q)", "ends with $1"),
    (r"^(?:has|have|includes?|holds?|contain) (Q)", "contains $1"),
    (r" ?(?:&&|&) ?", " and "),
    (r" ?\|\|? ?", " or "),
    (r"^(?:from|since|>=) ?(\d{4}-\d\d-\d\d)$", "range $1 to"),
    (r"^(?:until|up to|<=) ?(\d{4}-\d\d-\d\d)$", "range to $1"),
    (r"^(?:between )?(\d{4}-\d\d-\d\d) (?:and|to|until) (\d{4}-\d\d-\d\d|today|now)$", "range $1 to $2"),
    (r"^(?:in (?:the )?past|not in (?:the )?future|until today|up to today)$", "range to today"),
    (r"^(?:e-?mail address|mail)$", "email"),
    (r"^(?:distinct|no duplicates|not duplicated|once)$", "unique"),
];

const NUMBERS: [&str; 12] = ["one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve"];

pub(super) fn phrase(text: &str) -> Option<String> {
    static RULES: LazyLock<Vec<(Regex, &str)>> = LazyLock::new(|| compiled(STEPS));
    if let Some(built) = built(text) {
        return Some(built);
    }
    rewritten(text, &RULES)
}

pub(super) fn condition(text: &str) -> Option<String> {
    static RULES: LazyLock<Vec<(Regex, &str)>> = LazyLock::new(|| compiled(CONDITIONS));
    rewritten(text, &RULES)
}

fn compiled(rules: &[(&str, &'static str)]) -> Vec<(Regex, &'static str)> {
    let written = |pattern: &str| pattern.replace('Q', "\u{1}\\d+\u{1}").replace('N', r"-?\d+").replace('I', r"[a-z_]\w*");
    rules.iter().filter_map(|(pattern, with)| Some((Regex::new(&format!("(?i){}", written(pattern))).ok()?, *with))).collect()
}

fn built(text: &str) -> Option<String> {
    static JOIN: LazyLock<Option<Regex>> =
        LazyLock::new(|| Regex::new(r"(?i)^(?:join|concat|concatenate)(?: columns)?[ (]+([\w, &+]+?)\)?$").ok());
    static PLUS: LazyLock<Option<Regex>> = LazyLock::new(|| Regex::new(r"^([a-z_]\w*(?: ?[&+] ?[a-z_]\w*)+)$").ok());
    let names = JOIN.as_ref().and_then(|join| join.captures(text.trim())).or(PLUS.as_ref()?.captures(text.trim()))?;
    let names: Vec<String> = names[1]
        .split([',', ' ', '&', '+'])
        .filter(|name| !name.is_empty() && *name != "and" && *name != "with")
        .map(|name| format!("{{{name}}}"))
        .collect();
    (names.len() > 1).then(|| format!("build \"{}\"", names.concat()))
}

fn rewritten(text: &str, rules: &[(Regex, &str)]) -> Option<String> {
    static QUOTED: LazyLock<Option<Regex>> =
        LazyLock::new(|| Regex::new(r#""(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'|/(?:[^/\\\s]|\\.)+/[a-z]*"#).ok());
    static BARE: LazyLock<Option<Regex>> = LazyLock::new(|| {
        Regex::new(r#"\b(before|after|from|through|by|and|between|split|on|at|with|replace|2nd|3rd|last) ([^\w\s\x01"'“”‘’]{1,3})( |$)"#).ok()
    });
    let mut quoted: Vec<String> = Vec::new();
    let masked = QUOTED.as_ref()?.replace_all(text.trim(), |found: &Captures| {
        quoted.push(found[0].to_owned());
        format!("\u{1}{}\u{1}", quoted.len() - 1)
    });
    let mut now = masked.split_whitespace().collect::<Vec<_>>().join(" ");
    for (words, short) in [(" the ", " "), (" second ", " 2nd "), (" third ", " 3rd ")] {
        now = now.replace(words, short);
    }
    // Unquoted marks.
    for _ in 0..4 {
        let marked = BARE.as_ref()?.replace(&now, |found: &Captures| {
            quoted.push(format!("\"{}\"", &found[2]));
            format!("{} \u{1}{}\u{1}{}", &found[1], quoted.len() - 1, &found[3])
        });
        now = marked.into_owned();
    }
    let words: Vec<String> = now
        .split(' ')
        .map(|word| match NUMBERS.iter().position(|number| word.eq_ignore_ascii_case(number)) {
            Some(index) => (index + 1).to_string(),
            None => word.to_owned(),
        })
        .collect();
    now = words.join(" ");
    for (rule, with) in rules {
        now = rule.replace_all(&now, *with).trim().to_owned();
    }
    for (index, text) in quoted.iter().enumerate() {
        // Restore regular expressions with their slashes.
        let masked = format!("\u{1}{index}\u{1}");
        let is_pattern =
            ["match ", "fits ", "matches ", "groups of "].iter().any(|step| now.contains(&format!("{step}{masked}")));
        let text = match text.strip_prefix(['"', '\'']).and_then(|text| text.strip_suffix(['"', '\''])) {
            Some(pattern) if is_pattern => format!("/{}/", pattern.replace('/', r"\/")),
            _ => text.clone(),
        };
        now = now.replace(&masked, &text);
    }
    (now != text.trim()).then_some(now)
}
