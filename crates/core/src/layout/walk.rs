//! Fast matching of plain values, with one table lookup per character.
//!
//! It works while a single step can continue. If two steps could, the walk gives up and [`super::machine`] decides.

use super::machine::{FieldSpan, Machine, Mismatch, NOWHERE, Step};
use crate::batch::simd::{self, ByteRange};

/// Forms with more edges have no walk, because the tables would be too large.
const MOST_EDGES: usize = 4000;

/// The tables of a form.
#[derive(Debug)]
pub struct Walk {
    states: Vec<State>,
    edges: Vec<Edge>,
}

#[derive(Debug, Clone, Copy)]
struct Straight {
    class: [ByteRange; 2],
    count: usize,
    edge: u16,
    to: u32,
}

#[derive(Debug)]
struct State {
    straight: Option<Straight>,
    /// For each character, the index of its edge.
    next: Box<[u16; 128]>,
    wanted: Vec<u32>,
    /// The fields that start and end if the value ends here; `None` if it must not.
    done: Option<Box<[Mark]>>,
}

#[derive(Debug)]
struct Edge {
    marks: Box<[Mark]>,
    to: u32,
}

#[derive(Debug, Clone, Copy)]
enum Mark {
    Begin(u32),
    End(u32),
}

const NONE: u16 = u16::MAX;
const SEVERAL: u16 = u16::MAX - 1;

/// The outcome of a walk that reached a decision.
pub type WalkResult = Option<Result<(), Mismatch>>;

impl Walk {
    /// The walk of a form, if its tables are small enough.
    pub fn new(machine: &Machine) -> Option<Walk> {
        let mut walk = Walk { states: Vec::new(), edges: Vec::new() };
        // A state follows the start or a step that reads a character.
        let mut froms: Vec<usize> = vec![0];
        let mut state_of: Vec<u32> = vec![u32::MAX; machine.steps.len() + 1];
        state_of[0] = 0;
        while walk.states.len() < froms.len() {
            let mut reached = Vec::new();
            follow(machine, froms[walk.states.len()], &mut Vec::new(), &mut vec![false; machine.steps.len()], &mut reached);
            let mut state = State { straight: None, next: Box::new([NONE; 128]), wanted: Vec::new(), done: None };
            for (step, marks) in reached {
                state.wanted.push(step as u32);
                let class = match &machine.steps[step] {
                    Step::Literal(literal) => {
                        let only = literal.as_bytes().first().copied().filter(|_| literal.len() == 1);
                        (0..128u8).filter(|byte| Some(*byte) == only).collect::<Vec<u8>>()
                    }
                    Step::OfField { class: Some(class), .. } => (0..128u8).filter(|byte| class.has_byte(*byte)).collect(),
                    Step::OfField { class: None, .. } => (0..128u8).collect(),
                    _ => {
                        state.done.get_or_insert(marks.into());
                        continue;
                    }
                };
                let edge = u16::try_from(walk.edges.len()).ok().filter(|_| walk.edges.len() < MOST_EDGES)?;
                if state_of[step + 1] == u32::MAX {
                    state_of[step + 1] = froms.len() as u32;
                    froms.push(step + 1);
                }
                walk.edges.push(Edge { marks: marks.into(), to: state_of[step + 1] });
                for byte in class {
                    let next = &mut state.next[usize::from(byte)];
                    *next = if *next == NONE { edge } else { SEVERAL };
                }
            }
            walk.states.push(state);
        }
        for state in (0..walk.states.len()).rev() {
            walk.states[state].straight = walk.straight(state);
        }
        Some(walk)
    }

    fn only_edge(&self, state: usize) -> Option<(u16, [(u8, u8); 2])> {
        let next = &self.states[state].next;
        let edge = next.iter().copied().find(|edge| *edge != NONE)?;
        let is_only = next.iter().all(|other| *other == NONE || *other == edge) && self.states[state].done.is_none();
        let has = |byte: &u8| next[usize::from(*byte)] == edge;
        let begins: Vec<u8> = (0..128u8).filter(|byte| has(byte) && !byte.checked_sub(1).is_some_and(|b| has(&b))).collect();
        let range = |first: &u8| (*first, (*first..128).take_while(has).last().unwrap_or(*first));
        let ranges = match begins.as_slice() {
            [one] => [range(one), range(one)],
            [one, other] => [range(one), range(other)],
            _ => return None,
        };
        (is_only && edge != SEVERAL).then_some((edge, ranges))
    }

    /// The next characters of one class, at least four and at most as many as can be matched together.
    fn straight(&self, state: usize) -> Option<Straight> {
        let (edge, ranges) = self.only_edge(state)?;
        let (mut count, mut to) = (1, self.edges[usize::from(edge)].to);
        while let Some((next, _)) = self.only_edge(to as usize).filter(|(_, others)| count < 16 && *others == ranges)
            && self.edges[usize::from(next)].marks.is_empty()
        {
            (count, to) = (count + 1, self.edges[usize::from(next)].to);
        }
        let class = ranges.map(|(first, last)| ByteRange::new(first, last));
        (count >= 3).then_some(Straight { class, count, edge, to })
    }

    /// Matches a plain value; `None` if the walk cannot decide.
    #[inline]
    pub fn run(&self, value: &[u8], fields: &mut [FieldSpan]) -> WalkResult {
        fields.fill(NOWHERE);
        let mut state = self.states.first()?;
        let mut at = 0;
        while let Some(byte) = value.get(at) {
            if let Some(straight) = &state.straight
                && value.len() - at >= straight.count
            {
                let sixteen = simd::load(value, at);
                let [one, other] = straight.class;
                if !(one.has(sixteen) | other.has(sixteen)) & simd::first_bits(straight.count) == 0 {
                    mark(&self.edges.get(usize::from(straight.edge))?.marks, at, fields);
                    state = self.states.get(straight.to as usize)?;
                    at += straight.count;
                    continue;
                }
            }
            let edge = match state.next[usize::from(byte & 0x7F)] {
                NONE => return Some(Err(Mismatch { at, wanted: state.wanted.clone() })),
                SEVERAL => return None,
                edge => self.edges.get(usize::from(edge))?,
            };
            mark(&edge.marks, at, fields);
            state = self.states.get(edge.to as usize)?;
            at += 1;
        }
        match &state.done {
            Some(marks) => {
                mark(marks, value.len(), fields);
                Some(Ok(()))
            }
            None => Some(Err(Mismatch { at: value.len(), wanted: state.wanted.clone() })),
        }
    }
}

#[inline]
fn mark(marks: &[Mark], at: usize, fields: &mut [FieldSpan]) {
    for mark in marks {
        match mark {
            Mark::Begin(field) => fields[*field as usize] = (at, usize::MAX),
            Mark::End(field) => fields[*field as usize].1 = at,
        }
    }
}

/// The steps that read a character or end the form and are reachable from a step without reading, in order of preference, with the fields
/// that start and end on the way.
fn follow(machine: &Machine, step: usize, marks: &mut Vec<Mark>, there: &mut [bool], reached: &mut Vec<(usize, Vec<Mark>)>) {
    if std::mem::replace(&mut there[step], true) {
        return;
    }
    match machine.steps[step] {
        Step::Either(first, second) => {
            follow(machine, first, marks, there, reached);
            follow(machine, second, marks, there, reached);
        }
        Step::Begin(field) => {
            marks.push(Mark::Begin(field as u32));
            follow(machine, step + 1, marks, there, reached);
            marks.pop();
        }
        Step::End(field) => {
            marks.push(Mark::End(field as u32));
            follow(machine, step + 1, marks, there, reached);
            marks.pop();
        }
        Step::Literal(_) | Step::OfField { .. } | Step::Done => reached.push((step, marks.clone())),
    }
}
