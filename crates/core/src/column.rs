//! References to columns and their resolution in a header.

use std::collections::HashMap;
use std::fmt;

use crate::words;

/// A reference to a column: a name, or a number such as `#4`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum ColumnRef {
    Name(String),
    /// A number from 1.
    Number(usize),
}

type Places = (Option<usize>, Option<usize>);

/// An index of column names, for many lookups.
///
/// ```
/// use keen_notch_core::column::{ColumnIndex, ColumnRef, Header};
///
/// let header = Header::Names(vec!["part_code".to_owned(), " depot".to_owned()]);
/// assert_eq!(ColumnIndex::new(&header).find(&ColumnRef::parse("depot"))?, 1);
/// # Ok::<(), keen_notch_core::column::ColumnError>(())
/// ```
pub struct ColumnIndex<'h> {
    header: &'h Header,
    exact: HashMap<&'h str, Places>,
    trimmed: HashMap<&'h str, Places>,
}

impl<'h> ColumnIndex<'h> {
    pub fn new(header: &'h Header) -> ColumnIndex<'h> {
        let mut index = ColumnIndex { header, exact: HashMap::new(), trimmed: HashMap::new() };
        for (column, name) in header.names().unwrap_or_default().iter().enumerate() {
            for (names, name) in [(&mut index.exact, name.as_str()), (&mut index.trimmed, name.trim())] {
                let places = names.entry(name).or_default();
                *places = (places.0.or(Some(column)), places.1.or(places.0.map(|_| column)));
            }
        }
        for (column, path) in (header.count()..).zip(header.paths()) {
            index.exact.entry(path).or_insert((Some(column), None));
        }
        index
    }

    /// The index of a column, from 0.
    ///
    /// # Errors
    /// As [`ColumnRef::find`].
    pub fn find(&self, column: &ColumnRef) -> Result<usize, ColumnError> {
        let places = |names: &HashMap<&str, Places>, name: &str| names.get(name).copied().unwrap_or_default();
        column.find_by(self.header, |name| places(&self.exact, name), |name| places(&self.trimmed, name))
    }
}

impl ColumnRef {
    /// Parses a column of the command line: a bare name, a quoted name, or `#4`.
    ///
    /// A column that is really called `#4` is named in quotes: `"#4"`.
    ///
    /// ```
    /// use keen_notch_core::column::ColumnRef;
    ///
    /// assert_eq!(ColumnRef::parse("#4"), ColumnRef::Number(4));
    /// assert_eq!(ColumnRef::parse("depot"), ColumnRef::Name("depot".to_owned()));
    /// ```
    pub fn parse(text: &str) -> ColumnRef {
        let text = text.trim();
        if let Some(number) = text.strip_prefix('#')
            && let Ok(number) = number.parse()
        {
            return ColumnRef::Number(number);
        }
        match crate::phrase::text_at(text, 0) {
            Ok((name, end)) if text.starts_with(['"', '\'']) && end == text.len() => ColumnRef::Name(name),
            _ => ColumnRef::Name(text.to_owned()),
        }
    }

    /// The index of the named column, or of the only column if no name is given.
    ///
    /// # Errors
    /// The errors of [`ColumnRef::find`], or no name is given and there are several columns.
    pub fn find_or_only(named: Option<&ColumnRef>, header: &Header) -> Result<usize, ColumnError> {
        match named {
            Some(column) => column.find(header),
            None if header.count() == 1 => Ok(0),
            None => Err(ColumnError::NotNamed { titles: (0..header.count()).map(|index| header.title(index)).collect() }),
        }
    }

    /// The index of the column in `header`, from 0. White space around names is ignored if the name is then unique.
    ///
    /// ```
    /// use keen_notch_core::column::{ColumnRef, Header};
    ///
    /// let header = Header::Names(vec!["part_code".to_owned(), "depot".to_owned()]);
    /// assert_eq!(ColumnRef::parse("depot").find(&header)?, 1);
    /// assert!(ColumnRef::parse("depots").find(&header).unwrap_err().help().contains("depot"));
    /// # Ok::<(), keen_notch_core::column::ColumnError>(())
    /// ```
    ///
    /// # Errors
    /// Where there is no such column, or more than one of that name.
    pub fn find(&self, header: &Header) -> Result<usize, ColumnError> {
        let places = |is_it: &dyn Fn(&str) -> bool| {
            let names = header.names().unwrap_or_default();
            let mut found = names.iter().enumerate().filter(|(_, column)| is_it(column)).map(|(index, _)| index);
            (found.next(), found.next())
        };
        let path = |name: &str| header.paths().iter().position(|path| path == name).map(|path| header.count() + path);
        let exact = |name: &str| match places(&|column| column == name) {
            (None, _) => (path(name), None),
            found => found,
        };
        self.find_by(header, exact, |name| places(&|column| column.trim() == name))
    }

    /// Finds a column with two lookups: `exact` for the full name, `trimmed` for names without white space at the ends.
    fn find_by(
        &self,
        header: &Header,
        exact: impl Fn(&str) -> Places,
        trimmed: impl Fn(&str) -> Places,
    ) -> Result<usize, ColumnError> {
        match self {
            ColumnRef::Number(number) => match number.checked_sub(1) {
                Some(index) if index < header.count_with_paths() => Ok(index),
                _ => Err(ColumnError::NoSuchNumber { number: *number, count: header.count() }),
            },
            ColumnRef::Name(name) => {
                let Some(names) = header.names() else {
                    return Err(ColumnError::NoNames { name: name.clone(), count: header.count() });
                };
                // White space around a name matters only if it distinguishes two columns.
                let found = match exact(name) {
                    (None, _) => trimmed(name.trim()),
                    found => found,
                };
                match found {
                    (Some(index), None) => Ok(index),
                    (Some(first), Some(second)) => {
                        Err(ColumnError::Doubled { name: name.clone(), first: first + 1, second: second + 1 })
                    }
                    (None, _) => {
                        let names = [names, header.paths()].concat();
                        let nearest = nearest_name(name, &names).map(str::to_owned);
                        Err(ColumnError::Unknown { name: name.clone(), nearest, names })
                    }
                }
            }
        }
    }
}

impl fmt::Display for ColumnRef {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            ColumnRef::Name(name) => f.write_str(name),
            ColumnRef::Number(number) => write!(f, "#{number}"),
        }
    }
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Header {
    Names(Vec<String>),
    /// The keys of objects, and the paths of values in their members, such as `loan.id` and `items.0.code`. The indices of paths follow
    /// those of the columns.
    Objects {
        keys: Vec<String>,
        paths: Vec<String>,
    },
    /// Without a header, with this number of columns.
    Unnamed(usize),
}

impl Header {
    /// The number of columns, without paths.
    pub fn count(&self) -> usize {
        match self {
            Header::Names(names) => names.len(),
            Header::Objects { keys, .. } => keys.len(),
            Header::Unnamed(count) => *count,
        }
    }

    /// The number of columns and paths.
    pub fn count_with_paths(&self) -> usize {
        self.count() + self.paths().len()
    }

    /// The names of the columns, if they have any.
    pub fn names(&self) -> Option<&[String]> {
        match self {
            Header::Names(names) => Some(names),
            Header::Objects { keys, .. } => Some(keys),
            Header::Unnamed(_) => None,
        }
    }

    /// The paths of values in members of objects.
    pub fn paths(&self) -> &[String] {
        if let Header::Objects { paths, .. } = self { paths } else { &[] }
    }

    /// The number of each column and path among those of its name, from 1.
    ///
    /// ```
    /// use keen_notch_core::column::Header;
    ///
    /// let header = Header::Names(["depot", "crew", "depot"].map(str::to_owned).to_vec());
    /// assert_eq!(header.nths_of_names(), [1, 1, 2]);
    /// ```
    pub fn nths_of_names(&self) -> Vec<usize> {
        let mut seen: HashMap<String, usize> = HashMap::new();
        let nth = |index| {
            let nth = seen.entry(self.title(index)).or_insert(0);
            *nth += 1;
            *nth
        };
        (0..self.count_with_paths()).map(nth).collect()
    }

    /// The label of a column by its index from 0: its name, or its number such as `#4`.
    ///
    /// ```
    /// use keen_notch_core::column::Header;
    ///
    /// assert_eq!(Header::Names(vec!["depot".to_owned()]).title(0), "depot");
    /// assert_eq!(Header::Unnamed(3).title(2), "#3");
    /// ```
    pub fn title(&self, index: usize) -> String {
        let names = self.names().unwrap_or_default();
        match names.get(index).or_else(|| self.paths().get(index.checked_sub(names.len())?)) {
            Some(name) => name.clone(),
            None => format!("#{}", index + 1),
        }
    }
}

#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub enum ColumnError {
    /// No name is given, and there are several columns.
    NotNamed {
        titles: Vec<String>,
    },
    Unknown {
        name: String,
        nearest: Option<String>,
        names: Vec<String>,
    },
    Doubled {
        name: String,
        first: usize,
        second: usize,
    },
    NoSuchNumber {
        number: usize,
        count: usize,
    },
    NoNames {
        name: String,
        count: usize,
    },
}

fn nearest_name<'n>(name: &str, names: &'n [String]) -> Option<&'n str> {
    let part = name.to_lowercase();
    let mut wider = names.iter().filter(|known| part.chars().count() > 1 && known.to_lowercase().contains(&part));
    let only = wider.next().filter(|_| wider.next().is_none());
    words::nearest(name, names.iter().map(String::as_str)).or(only.map(String::as_str))
}

impl ColumnError {
    /// The delimiter that would reveal the name in a header that was read as one column.
    pub fn hidden_by(&self) -> Option<char> {
        match self {
            ColumnError::Unknown { name, names, .. } => delimiter_that_hides(name, names),
            _ => None,
        }
    }

    pub fn help(&self) -> String {
        match self {
            ColumnError::NotNamed { titles } => {
                format!("the columns are {}", list_of(titles))
            }
            ColumnError::Unknown { name, names, .. } if delimiter_that_hides(name, names).is_some() => {
                let delimiter = match delimiter_that_hides(name, names) {
                    Some('\t') => "tab".to_owned(),
                    delimiter => format!("'{}'", delimiter.unwrap_or(',')),
                };
                format!("the whole header is one column, {}; its cells seem to be divided by {delimiter}", names[0])
            }
            ColumnError::Unknown { names, nearest, .. } => {
                let list = list_of(names);
                match nearest {
                    Some(nearest) => format!("did you mean {nearest}? The columns are {list}"),
                    None => format!("the columns are {list}"),
                }
            }
            ColumnError::Doubled { first, .. } => {
                format!("say which by its number: #{first} for the first of them")
            }
            ColumnError::NoSuchNumber { count: 1, .. } => "the only column is #1".to_owned(),
            ColumnError::NoSuchNumber { count, .. } => format!("the columns are #1 to #{count}"),
            ColumnError::NoNames { count, .. } => {
                format!("name it by its number, #1 to #{count}")
            }
        }
    }
}

impl fmt::Display for ColumnError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            ColumnError::NotNamed { .. } => write!(f, "no column is named"),
            ColumnError::Unknown { name, .. } => write!(f, "no column {name}"),
            ColumnError::Doubled { name, first, second } => {
                write!(f, "two columns have the name {name}: #{first} and #{second}")
            }
            ColumnError::NoSuchNumber { number: 0, .. } => write!(f, "no column #0: column numbers start at 1"),
            ColumnError::NoSuchNumber { number, .. } => write!(f, "no column #{number}"),
            ColumnError::NoNames { name, .. } => {
                write!(f, "no column {name}: without a header, columns have no names")
            }
        }
    }
}

impl std::error::Error for ColumnError {}

/// The delimiter that would reveal the name in a header that was read as one column.
fn delimiter_that_hides(name: &str, names: &[String]) -> Option<char> {
    let [only] = names else { return None };
    [';', '\t', '|', ',']
        .into_iter()
        .find(|delimiter| only.contains(*delimiter) && only.split(*delimiter).any(|part| part == name))
}

fn list_of(names: &[String]) -> String {
    const MOST: usize = 30;
    let shown: Vec<String> = names
        .iter()
        .take(MOST)
        .map(|name| if name.is_empty() || name.contains([',', ' ']) { format!("\"{name}\"") } else { name.clone() })
        .collect();
    let more = names.len().saturating_sub(MOST);
    if more == 0 { shown.join(", ") } else { format!("{} and {more} more", shown.join(", ")) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_are_found_by_name_and_number() {
        let header = Header::Names(
            ["part_code", "#2", "depot", "depot", "crew id", " grade ", "team", "team ", " site", "site "]
                .map(String::from)
                .to_vec(),
        );
        for (text, expected) in [
            ("part_code", Ok(0)),
            ("#2", Ok(1)),
            ("'#2'", Ok(1)),
            ("\"crew id\"", Ok(4)),
            ("crew id", Ok(4)),
            ("#4", Ok(3)),
            ("depot", Err("two columns have the name depot: #3 and #4")),
            ("#11", Err("no column #11")),
            ("#0", Err("no column #0: column numbers start at 1")),
            ("Part_Code", Err("no column Part_Code")),
            ("grade", Ok(5)),
            ("' grade'", Ok(5)),
            ("team", Ok(6)),
            ("team ", Ok(6)),
            ("'team '", Ok(7)),
            ("site", Err("two columns have the name site: #9 and #10")),
        ] {
            let found = ColumnRef::parse(text).find(&header).map_err(|error| error.to_string());
            assert_eq!(found, expected.map_err(str::to_owned), "{text}");
        }
    }

    #[test]
    fn an_unknown_column_is_answered_with_the_nearest_and_all() {
        let header = Header::Names(["part_code", "crew id"].map(String::from).to_vec());
        let error = ColumnRef::parse("part_cod").find(&header).unwrap_err();
        assert_eq!(error.help(), "did you mean part_code? The columns are part_code, \"crew id\"");
        let error = ColumnRef::parse("part_code").find(&Header::Unnamed(3)).unwrap_err();
        assert!(error.help().contains("#1 to #3"));
    }
}
