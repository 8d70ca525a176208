//! Tells one state of the core's code from another: FNV-1a over its sources and its knowledge, in the order of their names.
use std::path::{Path, PathBuf};
use std::{fs, io};

fn main() -> io::Result<()> {
    let mut files = Vec::new();
    for folder in ["src", "knowledge"] {
        println!("cargo:rerun-if-changed={folder}");
        walk(Path::new(folder), &mut files)?;
    }
    files.sort();
    let mut hash = 0xcbf2_9ce4_8422_2325_u64;
    for file in files {
        let text = fs::read(&file)?;
        for byte in file.to_string_lossy().bytes().chain([0]).chain(text).chain([0]) {
            hash = (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3);
        }
    }
    println!("cargo:rustc-env=VELVET_DIAL_CORE={hash:016x}");
    Ok(())
}

fn walk(folder: &Path, files: &mut Vec<PathBuf>) -> io::Result<()> {
    for entry in fs::read_dir(folder)? {
        let path = entry?.path();
        if path.is_dir() { walk(&path, files)? } else { files.push(path) }
    }
    Ok(())
}
