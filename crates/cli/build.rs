//! Names the build by a hash of the sources. Two builds of one version have different names.

use std::fs;
use std::path::{Path, PathBuf};

fn main() {
    let own = PathBuf::from(std::env::var_os("CARGO_MANIFEST_DIR").unwrap_or_default());
    let mut files = Vec::new();
    // A package contains only its own sources.
    for folder in ["src", "../core/src", "../io/src"].map(|folder| own.join(folder)) {
        println!("cargo:rerun-if-changed={}", folder.display());
        collect(&folder, &mut files);
    }
    files.sort();
    let lock = own.join("../../Cargo.lock");
    println!("cargo:rerun-if-changed={}", lock.display());
    files.push(lock);
    let mut hash = 0xCBF2_9CE4_8422_2325_u64;
    for bytes in files.iter().filter_map(|file| fs::read(file).ok()) {
        // FNV-1a (Fowler, Noll, Vo).
        for byte in bytes {
            hash = (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01B3);
        }
    }
    println!("cargo:rustc-env=KEEN_NOTCH_BUILD={hash:016x}");
}

fn collect(folder: &Path, files: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).into_iter().flatten().flatten() {
        let path = entry.path();
        if path.is_dir() {
            collect(&path, files);
        } else {
            files.push(path);
        }
    }
}
