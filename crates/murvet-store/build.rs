//! The migrations are compiled in: a new one builds the crate anew.

fn main() {
    println!("cargo::rerun-if-changed=migrations");
}
