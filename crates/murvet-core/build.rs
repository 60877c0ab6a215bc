//! Lists the profiles: every data file in `profiles/` is one.

use std::fmt::Write as _;
use std::path::Path;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    println!("cargo::rerun-if-changed=profiles");
    let mut names = Vec::new();
    for entry in std::fs::read_dir("profiles")? {
        let path = entry?.path();
        if path.extension().is_some_and(|x| x == "json") {
            names.extend(path.file_name().map(|n| n.to_string_lossy().into_owned()));
        }
    }
    names.sort();
    let mut out = String::from("&[\n");
    for name in names {
        writeln!(out, "    (\"{name}\", include_str!(concat!(env!(\"CARGO_MANIFEST_DIR\"), \"/profiles/{name}\"))),")?;
    }
    out.push(']');
    let folder = std::env::var_os("OUT_DIR").ok_or("no OUT_DIR")?;
    std::fs::write(Path::new(&folder).join("profiles.rs"), out)?;
    Ok(())
}
