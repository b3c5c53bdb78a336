//! Options for writing rows.

use clap::ValueEnum;
use keen_notch_core::column::Header;
use keen_notch_io::encode::TextOptions;
use keen_notch_io::formats::database::How;
use keen_notch_io::formats::delimited::delimiter;

/// Options for writing database tables.
#[derive(Debug, Clone, clap::Args)]
#[command(next_help_heading = "Writing tables of a database")]
pub struct TableArgs {
    /// Replace the table if it exists
    #[arg(hide_short_help = true, long, conflicts_with = "append")]
    pub replace: bool,
    /// Append to the table
    #[arg(hide_short_help = true, long)]
    pub append: bool,
    /// Table for the faults
    #[arg(hide_short_help = true, long, value_name = "NAME", conflicts_with = "faults")]
    pub faults_table: Option<String>,
    /// Table for rows with faults, which leave the output
    #[arg(hide_short_help = true, long, value_name = "NAME", conflicts_with = "offcuts")]
    pub offcuts_table: Option<String>,
}

impl TableArgs {
    pub fn how(&self) -> How {
        match (self.replace, self.append) {
            (true, _) => How::Replace,
            (false, true) => How::Append,
            (false, false) => How::New,
        }
    }

    /// The first given option.
    pub fn first(&self) -> Option<&'static str> {
        let given = [
            (self.replace, "--replace"),
            (self.append, "--append"),
            (self.faults_table.is_some(), "--faults-table"),
            (self.offcuts_table.is_some(), "--offcuts-table"),
        ];
        given.into_iter().find(|(is_given, _)| *is_given).map(|(_, option)| option)
    }
}

/// Options for writing text.
#[derive(Debug, Clone, clap::Args)]
#[command(next_help_heading = "Writing text")]
pub struct WritingArgs {
    /// Output delimiter: one ASCII character, or tab
    #[arg(hide_short_help = true, long, value_name = "CHARACTER")]
    pub out_delimiter: Option<String>,
    /// Output columns of fixed-width text
    ///
    /// Such as 'code 1 to 8, family 10 to 12', or positions alone in the order of the columns.
    #[arg(hide_short_help = true, long, value_name = "WIDTHS")]
    pub out_widths: Option<String>,
    /// Write a header row: yes or no [default: like the input]
    #[arg(hide_short_help = true, long, value_name = "WHETHER", hide_possible_values = true)]
    pub out_header: Option<YesOrNo>,
    /// Write a byte-order mark, so that some spreadsheets recognise UTF-8
    #[arg(hide_short_help = true, long)]
    pub out_bom: bool,
    /// Quote every cell
    #[arg(hide_short_help = true, long)]
    pub quote_all: bool,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub enum YesOrNo {
    Yes,
    No,
}

impl WritingArgs {
    /// The options for delimited text.
    pub fn options(&self) -> Result<TextOptions, keen_notch_io::Error> {
        Ok(TextOptions {
            delimiter: self.out_delimiter.as_deref().map(delimiter).transpose()?,
            header: self.out_header.map(|whether| whether == YesOrNo::Yes),
            byte_order_mark: self.out_bom,
            quote_all: self.quote_all,
        })
    }

    /// Whether delimited text has a header row, for a table with this header.
    pub fn has_header(&self, header: &Header) -> bool {
        self.out_header.map_or(header.names().is_some(), |whether| whether == YesOrNo::Yes)
    }

    /// The first given option for delimited text.
    pub fn first(&self) -> Option<&'static str> {
        let given = [
            (self.out_delimiter.is_some(), "--out-delimiter"),
            (self.out_header.is_some(), "--out-header"),
            (self.out_bom, "--out-bom"),
            (self.quote_all, "--quote-all"),
        ];
        given.into_iter().find(|(is_given, _)| *is_given).map(|(_, option)| option)
    }
}
