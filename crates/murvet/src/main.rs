use murvet_core::{audit, audit_report::AuditReport, notation, profiles::ProfileId, rig::Rig};
fn main() {
    let args: Vec<String> = std::env::args().collect();
    let text = std::fs::read_to_string(&args[1]).unwrap();
    let rig = if text.trim_start().starts_with('{') {
        Rig::from_json(&text).map_err(|e| format!("{e:#?}"))
    } else {
        notation::parse(&text).map_err(|e| e.iter().map(|d| d.to_string()).collect::<Vec<_>>().join("\n"))
    };
    match rig {
        Ok(rig) => {
            let p = audit::choose_profile(&rig, args.get(2).and_then(|p| ProfileId::parse(p)));
            let t = std::time::Instant::now();
            let a = audit::audit(&rig, p);
            eprintln!("{:?}, {} pieces {} states", t.elapsed(), rig.pieces.len(), a.states.states.len());
            print!("{}", AuditReport::new(&a).text());
        }
        Err(e) => println!("{e}"),
    }
}
