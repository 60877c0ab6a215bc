//! Packs the assets into the binary: gzip, and names that carry a hash of the content, so that a
//! browser may keep them for ever.

use flate2::{Compression, write::GzEncoder};
use sha2::{Digest, Sha256};
use std::{env, fs, io::Write, path::Path};

/// File, name in pages, media type.
const FILES: &[(&str, &str, &str)] = &[
    ("vendor/bootstrap/bootstrap.min.css", "bootstrap.css", "text/css; charset=utf-8"),
    ("app.css", "app.css", "text/css; charset=utf-8"),
    ("vendor/alpinejs-csp/cdn.min.js", "alpine.js", "text/javascript; charset=utf-8"),
    ("app.js", "app.js", "text/javascript; charset=utf-8"),
    ("vendor/overpass/overpass-latin-400-normal.woff2", "overpass-400.woff2", "font/woff2"),
    ("vendor/overpass/overpass-latin-700-normal.woff2", "overpass-700.woff2", "font/woff2"),
    ("icon.svg", "icon.svg", "image/svg+xml"),
    ("icon-192.png", "icon-192.png", "image/png"),
    ("icon-512.png", "icon-512.png", "image/png"),
];

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let assets = Path::new(&env::var("CARGO_MANIFEST_DIR")?).join("../../assets");
    let out = env::var("OUT_DIR")?;
    let mut table = String::from("&[\n");
    let mut hashed: Vec<(String, String)> = Vec::new();
    // Fonts and icon first: the style sheet names them.
    let mut order: Vec<_> = FILES.iter().collect();
    order.sort_by_key(|(file, ..)| !(file.ends_with(".woff2") || file.ends_with(".svg")));
    for (file, name, media) in order {
        let path = assets.join(file);
        println!("cargo::rerun-if-changed={}", path.display());
        let mut bytes = fs::read(&path).map_err(|e| format!("{}: {e}", path.display()))?;
        if file.ends_with("app.css") {
            let mut text = String::from_utf8(bytes)?;
            for (plain, with_hash) in &hashed {
                text = text.replace(&format!("url({plain})"), &format!("url(/assets/{with_hash})"));
            }
            bytes = text.into_bytes();
        }
        let hash: String = Sha256::digest(&bytes).iter().take(6).map(|b| format!("{b:02x}")).collect();
        let (stem, ending) = name.rsplit_once('.').ok_or("an asset needs an ending")?;
        let with_hash = format!("{stem}.{hash}.{ending}");
        let mut gz = GzEncoder::new(Vec::new(), Compression::best());
        gz.write_all(&bytes)?;
        let packed = Path::new(&out).join(format!("{with_hash}.gz"));
        fs::write(&packed, gz.finish()?)?;
        table.push_str(&format!(
            "    Asset {{ name: {name:?}, hashed: {with_hash:?}, media: {media:?}, gzip: include_bytes!({:?}) }},\n",
            packed.display()
        ));
        hashed.push(((*name).to_owned(), with_hash));
    }
    table.push(']');
    fs::write(Path::new(&out).join("assets.rs"), table)?;
    Ok(())
}
