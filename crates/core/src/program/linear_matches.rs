//! All matches of a regular expression in linear time, for patterns with unlimited lookahead.
//!
//! A usual engine may scan to the end of the text for each match: in `/.*[^A-Z]|[A-Z]/`, every capital is a match, and only the end of
//! the text shows whether a longer match exists. This engine first reads the text backwards and computes, for each position, the states
//! of the automaton from which a match is reachable. Then it reads forwards and takes the first branch, in pattern order, that leads to a
//! match. After Frisch and Cardelli, "Greedy regular expression matching" (ICALP 2004).

use std::collections::HashMap;
use std::ops::Range;

use foldhash::fast::RandomState;
use indexmap::IndexSet;
use regex_automata::Anchored;
use regex_automata::dfa::Automaton;
use regex_automata::dfa::dense;
use regex_automata::nfa::thompson::{Compiler, Config, NFA, State, WhichCaptures};
use regex_automata::util::look::Look;
use regex_automata::util::primitives::{NonMaxUsize, StateID};
use regex_automata::util::start::Config as Start;
use regex_automata::util::syntax;

const BLOCK: usize = 4096;
/// Maximum memory for sets of states, in bytes, before they are discarded. Those of a block always fit in addition.
const MOST_SETS: usize = 16 << 20;
/// Maximum size, in bytes, of the automaton that decides whether a pattern has unlimited lookahead.
const MOST_LOOKED_AT: usize = 2 << 20;

/// Whether a search may scan ever further beyond a match. Returns true if that is unknown.
pub(super) fn has_unbounded_lookahead(pattern: &str, syntax: syntax::Config) -> bool {
    let config = dense::Config::new()
        .dfa_size_limit(Some(MOST_LOOKED_AT))
        .determinize_size_limit(Some(4 * MOST_LOOKED_AT))
        .unicode_word_boundary(true);
    let Ok(dfa) = dense::Builder::new().configure(config).syntax(syntax).build(pattern) else { return true };
    // Bytes of one class lead to the same states, so one byte per class is enough.
    let bytes: Vec<u8> = dfa.byte_classes().representatives(0..=255).filter_map(|unit| unit.as_u8()).collect();
    let follow = |id| bytes.iter().map(move |byte| (id, *byte));
    let mut known: IndexSet<_, RandomState> = IndexSet::default();
    for before in [None, Some(b'\n'), Some(b'\r'), Some(b'a'), Some(b' ')] {
        known.extend(dfa.start_state(&Start::new().anchored(Anchored::No).look_behind(before)));
    }
    let mut at = 0;
    while let Some(&id) = known.get_index(at) {
        known.extend(follow(id).map(|(id, byte)| dfa.next_state(id, byte)));
        at += 1;
    }
    // The states in which a longer match is sought: can one of them reach itself again?
    let looks_on = |id| !dfa.is_match_state(id) && !dfa.is_dead_state(id) && !dfa.is_quit_state(id);
    let mut marks: HashMap<_, bool, RandomState> = HashMap::default();
    for start in known.iter().copied().filter(|id| dfa.is_match_state(*id)) {
        // Depth-first search: a state is marked `true` while its successors are visited.
        let mut walk = vec![(start, 0)];
        while let Some((id, next)) = walk.last_mut() {
            let (id, byte) = (*id, bytes.get(*next).copied());
            *next += 1;
            let Some(byte) = byte else {
                marks.insert(id, false);
                walk.pop();
                continue;
            };
            let to = dfa.next_state(id, byte);
            match marks.get(&to) {
                _ if !looks_on(to) => {}
                Some(true) => return true,
                Some(false) => {}
                None => {
                    marks.insert(to, true);
                    walk.push((to, 0));
                }
            }
        }
    }
    false
}

#[derive(Debug)]
pub(super) struct LinearPattern {
    nfa: NFA,
    /// For each state, its predecessors without a byte, and the assertions between them.
    before: Vec<Vec<(StateID, Option<Look>)>>,
    reading: Vec<StateID>,
    matching: Vec<StateID>,
}

impl LinearPattern {
    pub(super) fn new(pattern: &str, syntax: syntax::Config, limit: usize) -> Option<LinearPattern> {
        let config = Config::new().which_captures(WhichCaptures::All).nfa_size_limit(Some(limit));
        let nfa = Compiler::new().configure(config).syntax(syntax).build(pattern).ok()?;
        let mut before = vec![Vec::new(); nfa.states().len()];
        let (mut reading, mut matching) = (Vec::new(), Vec::new());
        for (index, state) in nfa.states().iter().enumerate() {
            let id = StateID::new(index).ok()?;
            let mut leads_to = |to: StateID, look| before[to.as_usize()].push((id, look));
            match state {
                State::ByteRange { .. } | State::Sparse(_) | State::Dense(_) => reading.push(id),
                State::Match { .. } => matching.push(id),
                State::Fail => {}
                State::Look { look, next } => leads_to(*next, Some(*look)),
                State::Union { alternates } => alternates.iter().for_each(|to| leads_to(*to, None)),
                State::BinaryUnion { alt1, alt2 } => [alt1, alt2].into_iter().for_each(|to| leads_to(*to, None)),
                State::Capture { next, .. } => leads_to(*next, None),
            }
        }
        Some(LinearPattern { nfa, before, reading, matching })
    }

    fn read(&self, state: StateID, byte: u8) -> Option<StateID> {
        match self.nfa.state(state) {
            State::ByteRange { trans } => trans.matches_byte(byte).then_some(trans.next),
            State::Sparse(transitions) => transitions.matches_byte(byte),
            State::Dense(transitions) => transitions.matches_byte(byte),
            _ => None,
        }
    }
}

type Set = Box<[u64]>;

fn has(set: &[u64], state: StateID) -> bool {
    set[state.as_usize() / 64] >> (state.as_usize() % 64) & 1 == 1
}

fn add(set: &mut [u64], state: StateID) -> bool {
    let is_new = !has(set, state);
    set[state.as_usize() / 64] |= 1 << (state.as_usize() % 64);
    is_new
}

#[derive(Debug)]
pub(super) struct LinearMatches<'p, 't> {
    pattern: &'p LinearPattern,
    text: &'t str,
    from: usize,
    /// For each block, the states at its end from which a match is reachable.
    ends: Vec<Set>,
    held: usize,
    block: Vec<u32>,
    sets: IndexSet<Set, RandomState>,
    known: HashMap<(u32, u8, u32), u32, RandomState>,
    /// States that were tried at a position, with the round.
    tried: Vec<u32>,
    round: u32,
}

impl<'p, 't> LinearMatches<'p, 't> {
    pub(super) fn new(pattern: &'p LinearPattern, text: &'t str, from: usize) -> LinearMatches<'p, 't> {
        let blocks = (text.len() - from) / BLOCK + 1;
        let mut linear = LinearMatches {
            pattern,
            text,
            from,
            ends: vec![Box::default(); blocks],
            held: usize::MAX,
            block: Vec::new(),
            sets: IndexSet::default(),
            known: HashMap::default(),
            tried: vec![0; pattern.nfa.states().len()],
            round: 0,
        };
        let mut end = linear.closed(Vec::new(), text.len());
        for block in (0..blocks).rev() {
            linear.ends[block] = end;
            linear.hold(block);
            end = linear.set(linear.block[0]).into();
        }
        linear
    }

    /// The first match at or after byte `at`. Writes groups to `slots`, up to its length.
    pub(super) fn find(&mut self, at: usize, slots: &mut [Option<NonMaxUsize>]) -> Option<Range<usize>> {
        let start = self.pattern.nfa.start_anchored();
        let mut places = (at..=self.text.len()).filter(|place| self.text.is_char_boundary(*place));
        slots.fill(None);
        let begin = places.find(|place| self.leads(*place, start))?;
        let end = self.walk(begin, slots)?;
        for (slot, place) in slots.iter_mut().zip([begin, end]) {
            *slot = NonMaxUsize::new(place);
        }
        Some(begin..end)
    }

    fn leads(&mut self, place: usize, state: StateID) -> bool {
        let block = (place - self.from) / BLOCK;
        if block != self.held {
            self.hold(block);
        }
        has(self.set(self.block[(place - self.from) % BLOCK]), state)
    }

    fn set(&self, number: u32) -> &[u64] {
        self.sets.get_index(number as usize).map_or(&[], |set| set)
    }

    fn walk(&mut self, begin: usize, slots: &mut [Option<NonMaxUsize>]) -> Option<usize> {
        enum Todo {
            Try(StateID),
            Restore(usize, Option<NonMaxUsize>),
        }
        let (mut at, mut from) = (begin, self.pattern.nfa.start_anchored());
        let mut todo = Vec::new();
        loop {
            self.round += 1;
            todo.clear();
            todo.push(Todo::Try(from));
            let mut to = None;
            'tried: while let Some(next) = todo.pop() {
                let mut state = match next {
                    Todo::Try(state) => state,
                    Todo::Restore(slot, before) => {
                        slots[slot] = before;
                        continue;
                    }
                };
                loop {
                    let tried = &mut self.tried[state.as_usize()];
                    if *tried == self.round {
                        break;
                    }
                    *tried = self.round;
                    if !self.leads(at, state) {
                        break;
                    }
                    state = match self.pattern.nfa.state(state) {
                        State::Match { .. } => return Some(at),
                        State::Fail => break,
                        State::ByteRange { .. } | State::Sparse(_) | State::Dense(_) => {
                            // A reachable match means that the state reads the current byte.
                            to = self.text.as_bytes().get(at).and_then(|byte| self.pattern.read(state, *byte));
                            break 'tried;
                        }
                        // The assertion was checked before.
                        State::Look { next, .. } => *next,
                        State::Union { alternates } => {
                            let Some((first, others)) = alternates.split_first() else { break };
                            todo.extend(others.iter().rev().map(|other| Todo::Try(*other)));
                            *first
                        }
                        State::BinaryUnion { alt1, alt2 } => {
                            todo.push(Todo::Try(*alt2));
                            *alt1
                        }
                        State::Capture { next, slot, .. } => {
                            let slot = slot.as_usize();
                            if let Some(place) = slots.get_mut(slot) {
                                todo.push(Todo::Restore(slot, *place));
                                *place = NonMaxUsize::new(at);
                            }
                            *next
                        }
                    };
                }
            }
            (at, from) = (at + 1, to?);
        }
    }

    fn hold(&mut self, block: usize) {
        if self.sets.len() * self.ends[block].len() * 8 > MOST_SETS {
            self.sets.clear();
            self.known.clear();
        }
        self.held = block;
        let start = self.from + block * BLOCK;
        let end = (start + BLOCK).min(self.text.len());
        self.block.clear();
        self.block.resize(end - start + 1, 0);
        let mut number = self.number(self.ends[block].clone());
        self.block[end - start] = number;
        for place in (start..end).rev() {
            number = self.number_before(number, place);
            self.block[place - start] = number;
        }
    }

    fn number(&mut self, set: Set) -> u32 {
        // The number of sets is at most the number of positions, which fits.
        u32::try_from(self.sets.insert_full(set).0).unwrap_or(u32::MAX)
    }

    /// The number of the set at `place`; `after` is the number of the next set.
    fn number_before(&mut self, after: u32, place: usize) -> u32 {
        let byte = self.text.as_bytes()[place];
        let looks = self.pattern.nfa.look_set_any();
        let holding = looks.iter().filter(|look| self.holds(*look, place)).fold(0, |bits, look| bits | look.as_repr());
        if let Some(number) = self.known.get(&(after, byte, holding)) {
            return *number;
        }
        let set = self.set(after);
        let leads = |state: &StateID| self.pattern.read(*state, byte).is_some_and(|to| has(set, to));
        let reading = self.pattern.reading.iter().copied().filter(leads).collect();
        let set = self.closed(reading, place);
        let number = self.number(set);
        self.known.insert((after, byte, holding), number);
        number
    }

    fn holds(&self, look: Look, place: usize) -> bool {
        self.pattern.nfa.look_matcher().matches(look, self.text.as_bytes(), place)
    }

    fn closed(&self, mut todo: Vec<StateID>, place: usize) -> Set {
        let mut set = vec![0; self.pattern.before.len().div_ceil(64)].into_boxed_slice();
        todo.extend(&self.pattern.matching);
        todo.retain(|state| add(&mut set, *state));
        while let Some(state) = todo.pop() {
            for (before, look) in &self.pattern.before[state.as_usize()] {
                if look.is_none_or(|look| self.holds(look, place)) && add(&mut set, *before) {
                    todo.push(*before);
                }
            }
        }
        set
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use proptest::sample::select;
    use regex_automata::Input;
    use regex_automata::meta::Regex as Engine;

    use super::*;

    const LIMIT: usize = 1 << 20;

    fn pattern() -> impl Strategy<Value = String> {
        let one =
            select(vec!["a", "b", "é", ".", "[^a]", r"\w", r"\b", "^", "$", r"\B", "", "ab", "[a-z]"]).prop_map(str::to_owned);
        one.prop_recursive(4, 24, 3, |inner| {
            let repeated = select(vec!["*", "+", "?", "*?", "+?", "??", "{2}", "{1,3}"]);
            prop_oneof![
                (inner.clone(), inner.clone()).prop_map(|(one, other)| one + &other),
                (inner.clone(), inner.clone()).prop_map(|(one, other)| format!("(?:{one}|{other})")),
                inner.clone().prop_map(|one| format!("({one})")),
                (inner, repeated).prop_map(|(one, times)| format!("(?:{one}){times}")),
            ]
        })
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(if cfg!(debug_assertions) { 1_000 } else { 100_000 }))]

        #[test]
        fn matches_equal_those_of_the_usual_engine(pattern in pattern(), text in "[abé\n -]{0,16}", from in 0usize..4) {
            let engine = Engine::new(&pattern).unwrap();
            let linear = LinearPattern::new(&pattern, syntax::Config::new(), LIMIT).unwrap();
            let mut at = from.min(text.len());
            let mut linear = LinearMatches::new(&linear, &text, at);
            let mut groups = [vec![None; 2 * engine.captures_len()], vec![None; 2 * engine.captures_len()]];
            while at <= text.len() {
                let [expected, found] = &mut groups;
                let is_there = engine.search_slots(&Input::new(&text).range(at..), expected).is_some();
                let place = linear.find(at, found);
                prop_assert_eq!(place.is_some(), is_there, "/{}/ in {:?} from {}", &pattern, &text, at);
                let Some(place) = place else { break };
                prop_assert_eq!(&*expected, &*found, "/{}/ in {:?} from {}", &pattern, &text, at);
                at = place.end.max(place.start + 1);
                at += (at..text.len()).take_while(|at| !text.is_char_boundary(*at)).count();
            }
        }
    }

    #[test]
    fn patterns_with_unlimited_lookahead_are_detected() {
        for (pattern, expected) in [
            (r".*[^A-Z]|[A-Z]", true),
            (r#""[^"]*"|\S"#, true),
            ("a(b*c)?", true),
            ("[0-9]+", false),
            (r"[0-9]+(\.[0-9]+)?", false),
            ("(ab)*", false),
            (r"\bA-([0-9]{4})\b", false),
            ("x*", false),
            (r"\w+@\w+", false),
            ("a.*?b", false),
            ("(?s).*", false),
        ] {
            assert_eq!(has_unbounded_lookahead(pattern, syntax::Config::new()), expected, "/{pattern}/");
        }
    }

    #[test]
    fn matches_go_over_blocks() {
        let text = format!("{}{}!{}", "A".repeat(BLOCK - 2), "b".repeat(2 * BLOCK + 1), "C".repeat(BLOCK + 5));
        let linear = LinearPattern::new(r"[a-z]+!|[A-Za-z]", syntax::Config::new(), LIMIT).unwrap();
        let (mut linear, mut at, mut widths) = (LinearMatches::new(&linear, &text, 0), 0, Vec::new());
        while let Some(place) = linear.find(at, &mut []) {
            at = place.end;
            widths.push(place.len());
        }
        let expected = [vec![1; BLOCK - 2], vec![2 * BLOCK + 2], vec![1; BLOCK + 5]].concat();
        assert_eq!(widths, expected);
    }
}
