//! Maps of keys that are hashes already.

use std::hash::Hasher;

/// The hasher for keys that are hashes already.
#[derive(Debug, Clone, Default)]
pub struct AsItIs(u64);

impl Hasher for AsItIs {
    fn finish(&self) -> u64 {
        self.0
    }

    fn write(&mut self, bytes: &[u8]) {
        // Only whole keys are ever written; anything else would still be hashed, if badly.
        for byte in bytes {
            self.0 = self.0.rotate_left(8) ^ u64::from(*byte);
        }
    }

    fn write_u64(&mut self, key: u64) {
        self.0 = key;
    }
}
