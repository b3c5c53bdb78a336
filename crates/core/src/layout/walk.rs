//! Fitting plain values to a form by a walk with one table look-up a character.
//!
//! While only one step of the form can go on with a character, there is one thread, and no list of them is needed. Where
//! two could, the walk gives up and [`super::machine`] decides; so it never decides anything itself.

use super::machine::{Machine, NOWHERE, Place, Step, Stuck};
use crate::batch::simd::{self, ByteRange};

/// Beyond this number of edges a form has no walk: its tables would cost more than they bring.
const MOST_EDGES: usize = 4000;

/// The tables of a form.
#[derive(Debug)]
pub struct Walk {
    states: Vec<State>,
    edges: Vec<Edge>,
}

/// Some characters of one class, one after the other, that only one step each can go on with.
#[derive(Debug, Clone, Copy)]
struct Straight {
    class: [ByteRange; 2],
    count: usize,
    /// The edge of the first of them, and the state after the last.
    edge: u16,
    to: u32,
}

/// A place in the form from which a character is read.
#[derive(Debug)]
struct State {
    /// The characters that come next, where they can be looked at together.
    straight: Option<Straight>,
    /// By character: the edge that goes on with it, by its index.
    next: Box<[u16; 128]>,
    /// What the steps here want, for a value that none of them goes on with.
    wanted: Vec<u32>,
    /// What begins and ends if the value ends here; `None` where it must not.
    done: Option<Box<[Mark]>>,
}

/// A step that reads a character.
#[derive(Debug)]
struct Edge {
    /// What begins and ends before it.
    marks: Box<[Mark]>,
    to: u32,
}

/// A field begins or ends.
#[derive(Debug, Clone, Copy)]
enum Mark {
    Begin(u32),
    End(u32),
}

/// No edge goes on.
const NONE: u16 = u16::MAX;
/// More than one does.
const SEVERAL: u16 = u16::MAX - 1;

/// How a walk ended, where it decided.
pub type Walked = Option<Result<(), Stuck>>;

impl Walk {
    /// The walk of a form, if it has one of reasonable size.
    pub fn new(machine: &Machine) -> Option<Walk> {
        let mut walk = Walk { states: Vec::new(), edges: Vec::new() };
        // States by the step after which they are: the start, or a step that reads a character.
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

    /// The one edge that goes on from a state, and the characters that it goes on with, as one or two ranges.
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

    /// The characters of one class that come next from a state: at least four, and as many as are looked at together.
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

    /// Fits a plain value; `None` where the walk cannot decide.
    #[inline]
    pub fn run(&self, value: &[u8], fields: &mut [Place]) -> Walked {
        fields.fill(NOWHERE);
        let mut state = self.states.first()?;
        let mut at = 0;
        while let Some(byte) = value.get(at) {
            if let Some(straight) = &state.straight
                && value.len() - at >= straight.count
            {
                let lanes = simd::lanes(value, at);
                let [one, other] = straight.class;
                if !(one.has(lanes) | other.has(lanes)) & simd::first_lanes(straight.count) == 0 {
                    mark(&self.edges.get(usize::from(straight.edge))?.marks, at, fields);
                    state = self.states.get(straight.to as usize)?;
                    at += straight.count;
                    continue;
                }
            }
            let edge = match state.next[usize::from(byte & 0x7F)] {
                NONE => return Some(Err(Stuck { at, wanted: state.wanted.clone() })),
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
            None => Some(Err(Stuck { at: value.len(), wanted: state.wanted.clone() })),
        }
    }
}

#[inline]
fn mark(marks: &[Mark], at: usize, fields: &mut [Place]) {
    for mark in marks {
        match mark {
            Mark::Begin(field) => fields[*field as usize] = (at, usize::MAX),
            Mark::End(field) => fields[*field as usize].1 = at,
        }
    }
}

/// The steps that read a character, or end the form, which can be reached from a step without reading any, in the order in
/// which they are preferred, with what begins and ends on the way.
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
