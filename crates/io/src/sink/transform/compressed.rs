use std::io;
#[cfg(feature = "compressed")]
use std::io::Write;

use crate::kind::Compression;
use crate::sink::transform::Transform;

#[cfg(feature = "compressed")]
pub fn transform(compression: Compression) -> io::Result<Box<dyn Transform>> {
    Ok(match compression {
        // Without a time, so that the same rows always give the same file.
        Compression::Gzip => Box::new(flate2::GzBuilder::new().mtime(0).write(Vec::new(), flate2::Compression::default())),
        Compression::Zstd => {
            let mut encoder = zstd::stream::write::Encoder::new(Vec::new(), zstd::DEFAULT_COMPRESSION_LEVEL)?;
            encoder.include_checksum(true)?;
            Box::new(encoder)
        }
    })
}

#[cfg(feature = "compressed")]
impl Transform for flate2::write::GzEncoder<Vec<u8>> {
    fn output(&mut self) -> &mut Vec<u8> {
        self.get_mut()
    }

    fn end(self: Box<Self>, out: &mut (dyn Write + Send)) -> io::Result<()> {
        out.write_all(&self.finish()?)
    }
}

#[cfg(feature = "compressed")]
impl Transform for zstd::stream::write::Encoder<'static, Vec<u8>> {
    fn output(&mut self) -> &mut Vec<u8> {
        self.get_mut()
    }

    fn end(self: Box<Self>, out: &mut (dyn Write + Send)) -> io::Result<()> {
        out.write_all(&self.finish()?)
    }
}

#[cfg(not(feature = "compressed"))]
pub fn transform(compression: Compression) -> io::Result<Box<dyn Transform>> {
    let words = format!("this build does not compress with {}", compression.name());
    Err(io::Error::new(io::ErrorKind::Unsupported, words))
}
