//! The pieces of a run, from cut lists and the command line, bound to a table.

use std::cell::{OnceCell, RefCell};
use std::collections::{BTreeMap, BTreeSet};
use std::fs;
use std::io::{self, Read};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use keen_notch_core::carving::Carving;
use keen_notch_core::column::{ColumnRef, Header};
use keen_notch_core::cutlist::{self, CutList, Main, Reading as ListReading};
use keen_notch_core::explain;
use keen_notch_core::layout::Layout;
use keen_notch_core::phrase::Span;
use keen_notch_core::phrase::ast::{ListSource, LookupSource};
use keen_notch_core::piece::{Check, Keep, Piece, Rules, Source};
use keen_notch_core::program::{Files, List, LookupTable, NoList, Setting};
use keen_notch_core::summary::ListFile;
use keen_notch_core::text::unit::Unit;
use keen_notch_core::text_error::TextError;
use keen_notch_io::carve::MadeBy;
use keen_notch_io::files::RunFiles;
use keen_notch_io::formats::FileFormat;
use keen_notch_io::lists::{self, ListError};
use keen_notch_io::source::input::Input;

use crate::args::FaultArgs;
use crate::failure::{Failure, Text};
use crate::io_help;

#[derive(Debug, Default)]
pub struct RuleArgs<'a> {
    pub lists: &'a [PathBuf],
    pub layouts: &'a [String],
    pub pieces: &'a [String],
    pub checks: &'a [String],
    pub keep: &'a [String],
    pub column: Option<&'a str>,
    /// Whether cut lists can name files outside their folders and the current folder.
    pub allow_outside: bool,
    /// The folder that stands for the root in absolute names of files.
    pub files_below: Option<&'a Path>,
}

impl<'a> RuleArgs<'a> {
    /// The rules among the options about faults.
    pub fn of_faults(faults: &'a FaultArgs) -> RuleArgs<'a> {
        let FaultArgs { layouts, checks, allow_outside, files_below, .. } = faults;
        let files_below = files_below.as_deref();
        RuleArgs { layouts, checks, allow_outside: *allow_outside, files_below, ..RuleArgs::default() }
    }
}

pub struct Pieces {
    pub wanted: Rules,
    pub title: Option<String>,
    pub unit: Unit,
    pub reading: ListReading,
    /// Whether pieces replace columns with the same name without `replace`.
    pub take_places: bool,
    /// Whether another program compares rows.
    pub compares_elsewhere: bool,
    /// The output columns of fixed-width text from a cut list.
    pub widths: Option<String>,
    /// The default source column: from the command line, or from the only cut list.
    main: Option<Main>,
    /// The folders of the cut lists, for the files that they name.
    folders: Vec<PathBuf>,
    /// The texts of cut lists, then those of the command line.
    texts: Vec<Text>,
    files: RunFiles,
    allow_outside: bool,
    files_below: Option<PathBuf>,
    listed: RefCell<BTreeMap<ListSource, List>>,
    lookups: RefCell<BTreeMap<LookupSource, Arc<LookupTable>>>,
    /// The current date in ISO 8601, once a condition has asked for it.
    today: OnceCell<String>,
}

/// The current date in ISO 8601.
pub fn today() -> String {
    jiff::Zoned::now().date().to_string()
}

impl Pieces {
    pub fn read(rules: &RuleArgs, files: &RunFiles) -> Result<Pieces, Failure> {
        let mut pieces = Pieces {
            wanted: Rules::default(),
            title: None,
            unit: Unit::default(),
            reading: ListReading::default(),
            take_places: false,
            compares_elsewhere: false,
            widths: None,
            main: None,
            folders: Vec::new(),
            texts: Vec::new(),
            files: files.clone(),
            allow_outside: rules.allow_outside,
            files_below: rules.files_below.map(Path::to_owned),
            listed: RefCell::default(),
            lookups: RefCell::default(),
            today: OnceCell::new(),
        };
        for path in rules.lists {
            pieces.add_list(path, rules.lists.len() == 1 || rules.column.is_some())?;
        }
        if let Some(column) = rules.column {
            pieces.main = Some(Main { column: ColumnRef::parse(column), span: 0..column.len() });
        }
        for argument in rules.layouts {
            let layout = pieces.argument(argument, Layout::parse)?;
            pieces.wanted.add_layout(layout, true);
        }
        for argument in rules.pieces {
            let piece = pieces.argument(argument, Piece::parse)?;
            pieces.wanted.add_piece(piece);
        }
        for argument in rules.checks {
            let origin = pieces.texts.len();
            let (of, check) = pieces.argument(argument, Check::parse)?;
            pieces.add_check(of, check, origin);
        }
        for argument in rules.keep {
            let keep = pieces.argument(argument, Keep::parse)?;
            pieces.wanted.keep.push(keep);
        }
        let Rules { pieces: wanted, keep, unique, .. } = &pieces.wanted;
        let is_nothing = wanted.is_empty() && keep.is_empty() && unique.is_none();
        match pieces.texts.first() {
            Some(list) if is_nothing && !rules.lists.is_empty() => {
                Err(Failure::text_error(list, cutlist::no_piece(&list.text)))
            }
            _ => Ok(pieces),
        }
    }

    /// Adds a cut list. With several lists, its column applies only to its own pieces.
    fn add_list(&mut self, path: &Path, is_main: bool) -> Result<(), Failure> {
        let name = path.display().to_string();
        self.files.reads(&Input::File(path.to_owned()))?;
        let text = Text { name: Some(name.clone()), text: read_list(path)? };
        let mut list = CutList::parse(&text.text, self.texts.len()).map_err(|error| Failure::text_error(&text, error))?;
        if !self.texts.is_empty() && list.unit != self.unit {
            let message = format!("{name} counts positions in another unit than the cut lists before it");
            return Err(Failure::usage(message, "give all of them the same `unit`, or run them separately"));
        }
        if self.wanted.unique.is_some() && list.wanted.unique.is_some() {
            let message = format!("{name} has `unique` under `[rows]`, and so does an earlier cut list");
            return Err(Failure::usage(message, "remove one"));
        }
        match list.column.take() {
            Some(main) if is_main => self.main = Some(main),
            Some(main) => {
                for piece in &mut list.wanted.pieces {
                    if let Source::Take { of: of @ None, of_span, .. } = &mut piece.source {
                        (*of, *of_span) = (Some(main.column.clone()), main.span.clone());
                    }
                }
            }
            None => {}
        }
        let layouts = self.wanted.layouts.len();
        for piece in &mut list.wanted.pieces {
            if let Source::Field { layout, .. } = &mut piece.source {
                *layout += layouts;
            }
        }
        let Rules { pieces, layouts, proofs, keep, unique } = list.wanted;
        self.wanted.pieces.extend(pieces);
        self.wanted.layouts.extend(layouts);
        self.wanted.proofs.extend(proofs);
        self.wanted.keep.extend(keep);
        self.wanted.unique = self.wanted.unique.take().or(unique);
        self.unit = list.unit;
        self.title = self.title.take().or(list.title);
        let ListReading { delimiter, encoding, header, partitions, ragged, widths, sheet, query } = list.reading;
        let all = &mut self.reading;
        all.delimiter = all.delimiter.take().or(delimiter);
        all.encoding = all.encoding.take().or(encoding);
        all.header = all.header.or(header);
        all.partitions = all.partitions.or(partitions);
        all.ragged = all.ragged.or(ragged);
        all.widths = all.widths.take().or(widths);
        all.sheet = all.sheet.take().or(sheet);
        all.query = all.query.take().or(query);
        self.widths = self.widths.take().or(list.writing.widths);
        self.folders.push(path.parent().map(Path::to_owned).unwrap_or_default());
        self.texts.push(text);
        Ok(())
    }

    /// Adds a check of a piece, or of a column if no piece has the name.
    fn add_check(&mut self, of: Option<(ColumnRef, Span)>, check: Check, origin: usize) {
        let main = || self.main.as_ref().map_or("value".to_owned(), |main| main.column.to_string());
        let name = of.as_ref().map_or_else(main, |(of, _)| of.to_string());
        if let Some(piece) = self.wanted.pieces.iter_mut().find(|piece| piece.name == name) {
            return piece.checks.push(check);
        }
        let (of, span) = of.map_or((None, 0..0), |(of, span)| (Some(of), span));
        let mut piece = Piece::of_column(name, of, span, origin);
        piece.checks.push(check);
        self.wanted.pieces.push(piece);
    }

    fn argument<T>(&mut self, argument: &str, read: fn(&str, usize) -> Result<T, TextError>) -> Result<T, Failure> {
        let text = Text { name: None, text: argument.to_owned() };
        let found = read(argument, self.texts.len()).map_err(|error| Failure::text_error(&text, error))?;
        self.texts.push(text);
        Ok(found)
    }

    /// The cut list that declares a piece, if any.
    pub fn list_of(&self, piece: usize) -> Option<&str> {
        let piece = self.wanted.pieces.get(piece)?;
        self.texts.get(piece.origin)?.name.as_deref()
    }

    pub fn main(&self) -> Option<&ColumnRef> {
        self.main.as_ref().map(|main| &main.column)
    }

    /// Binds the pieces to the columns of a table. `argument` is the column of the command line, which overrides that of a cut list.
    pub fn bind(&self, argument: Option<&str>, header: &Header) -> Result<Carving, Failure> {
        match (argument, &self.main) {
            (Some(argument), _) => ColumnRef::parse(argument).find(header).map(drop)?,
            (None, Some(main)) => main
                .column
                .find(header)
                .map(drop)
                .map_err(|error| Failure::text_error(&self.texts[0], TextError::of_column(error, main.span.clone())))?,
            (None, None) => {}
        }
        let today = || Some(self.today.get_or_init(today).clone());
        let setting = Setting { unit: self.unit, files: self, today: &today };
        let mut wanted = std::borrow::Cow::Borrowed(&self.wanted);
        if let (true, Some(names)) = (self.take_places, header.names()) {
            wanted.to_mut().pieces.iter_mut().for_each(|piece| piece.replace |= names.contains(&piece.name) && !piece.hidden);
        }
        let mut carving = Carving::new(&wanted, self.main(), &setting, header)
            .map_err(|unbound| Failure::text_error(&self.texts[unbound.origin], unbound.error))?;
        if self.compares_elsewhere
            && let Err(why) = carving.leave_comparing()
        {
            let message = format!("another program cannot compare the rows of this cut list: {why}");
            return Err(Failure::usage(message, "remove this from the cut list"));
        }
        Ok(carving)
    }
}

impl Pieces {
    /// The parts of a summary that describe these bound pieces. `argument` is the column of the command line.
    pub fn made_by(&self, argument: Option<&str>) -> MadeBy {
        let argument = argument.map(ColumnRef::parse);
        let mut asked = explain::asked(&self.wanted, argument.as_ref().or(self.main()), self.unit);
        asked.extend(self.today.get().map(|date| explain::today(date)));
        MadeBy {
            program: env!("CARGO_PKG_VERSION").to_owned(),
            asked,
            part: None,
            listed: self
                .listed
                .borrow()
                .iter()
                .map(|(source, list)| ListFile::new(source, list))
                .chain(self.lookups.borrow().iter().map(|(source, table)| ListFile::of_lookup(source, table)))
                .collect(),
        }
    }

    /// Asks for the current date again, for the next table of a program that runs on.
    pub fn forget_today(&mut self) {
        self.today.take();
    }

    /// The path of a file that a phrase names. With several cut lists, it is beside the first one that has it.
    fn path_of(&self, file: &str) -> Result<PathBuf, NoList> {
        if let (Some(below), Ok(file)) = (&self.files_below, Path::new(file).strip_prefix("/")) {
            return Ok(below.join(file));
        }
        let paths: Vec<PathBuf> = self.folders.iter().map(|folder| folder.join(file)).collect();
        let path = paths.iter().find(|path| path.exists()).or(paths.first());
        let path = path.map_or(Path::new(file), PathBuf::as_path);
        self.refuse_outside(path)?;
        Ok(path.to_owned())
    }

    /// Resolves file names from this folder, as for a cut list in it.
    pub fn name_files_from(&mut self, folder: PathBuf) {
        self.folders.push(folder);
    }

    /// The files of `listed in` and `lookup in` by name, after binding.
    pub fn listed_files(&self) -> Vec<String> {
        let (listed, lookups) = (self.listed.borrow(), self.lookups.borrow());
        let files = listed.keys().chain(lookups.keys().map(|source| &source.keys)).map(|source| source.file.clone());
        files.collect::<BTreeSet<_>>().into_iter().collect()
    }

    /// Refuses a file outside the folder of the cut list and the current folder, because the list may come from somebody else.
    fn refuse_outside(&self, path: &Path) -> Result<(), NoList> {
        let here = Path::new(".").to_owned();
        let folders = self.folders.iter().map(|folder| if folder.as_os_str().is_empty() { &here } else { folder });
        let is_within = |place: &Path| {
            folders.chain([&here]).filter_map(|folder| folder.canonicalize().ok()).any(|folder| place.starts_with(folder))
        };
        // A missing file is an error when it is opened; without cut lists, the user named the file.
        let Ok(place) = path.canonicalize() else { return Ok(()) };
        if self.allow_outside || self.folders.is_empty() || is_within(&place) {
            return Ok(());
        }
        let reason = format!("{} is outside the folder of the cut list and the current folder", path.display());
        Err(NoList { reason, help: "if you trust the list, let it read that file with --allow-outside".to_owned() })
    }
}

/// Files are read once.
impl Files for Pieces {
    fn list(&self, source: &ListSource) -> Result<List, NoList> {
        if let Some(list) = self.listed.borrow().get(source) {
            return Ok(Arc::clone(list));
        }
        let list = lists::read(&self.path_of(&source.file)?, source, &self.files).map_err(unavailable)?;
        self.listed.borrow_mut().insert(source.clone(), Arc::clone(&list));
        Ok(list)
    }

    fn lookup(&self, source: &LookupSource) -> Result<Arc<LookupTable>, NoList> {
        if let Some(table) = self.lookups.borrow().get(source) {
            return Ok(Arc::clone(table));
        }
        let table = lists::read_lookup(&self.path_of(&source.keys.file)?, source, &self.files).map_err(unavailable)?;
        self.lookups.borrow_mut().insert(source.clone(), Arc::clone(&table));
        Ok(table)
    }
}

fn unavailable(error: ListError) -> NoList {
    match error {
        ListError::List(list) => list,
        ListError::Table(error) => NoList { reason: error.to_string(), help: io_help::help(&error) },
    }
}

fn read_list(path: &Path) -> Result<String, Failure> {
    if let Some(format) = FileFormat::of(path).name().filter(|_| path.exists()) {
        let name = path.display();
        return Err(Failure::usage(
            format!("{name} is a table ({format}), not a cut list"),
            "name a cut list, such as parts.cutlist.toml",
        ));
    }
    let mut text = String::new();
    let read = fs::File::open(path).and_then(|file| file.take(cutlist::MOST_BYTES as u64 + 1).read_to_string(&mut text));
    match read {
        Ok(_) => Ok(text),
        Err(source) => {
            let name = path.display().to_string();
            Err(match source.kind() {
                io::ErrorKind::InvalidData => Failure::usage(format!("{name} is not UTF-8"), "save the cut list as UTF-8"),
                _ => keen_notch_io::Error::Read { name, source }.into(),
            })
        }
    }
}
