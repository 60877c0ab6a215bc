//! The ways to look at a rig beside its stations: a component, a run, the plan, a state stepped and loaded, findings by
//! choice; and what lies outside a visit: rule book and bench.

mod site;

use axum::http::StatusCode;
use site::site;

/// A van whose main run is bare, with a heater that is to come and an inverter that feeds its own charger.
const VAN: &str = "\
place bay: bay \"Battery bay\"
place cabin: cabin \"Living space\"
battery house in bay: lifepo4 12.8V@marked 200Ah
inverter inv in bay: 1000W dc 12V ac 120V bond-switched isolated
panel p in cabin: main 15A, way conv 15A
converter conv in bay: 30A@told 14.4V
run house.+ : 1.5m 2/0AWG red, inv.dc+
run house.- : 1.5m 2/0AWG black, inv.dc-
run conv.dc+ : 0.3m 8AWG, fuse F2 in bay 40A bolt-down, 0.3m 8AWG, house.+
run conv.dc- : 0.5m 8AWG, house.-
cable W1 3x12AWG 1m inv -> p.main
cable W2 3x14AWG 1m p.conv -> conv
dc-load heater in cabin: 30A intended
run house.+ : 0.2m 14AWG, fuse F3 in bay 60A bolt-down, 3m 14AWG, heater.+
run house.- : 3m 14AWG, heater.-
remark conv: loose-joint \"turns by hand\"
";

#[tokio::test(flavor = "multi_thread")]
async fn a_rig_is_looked_at_component_by_component_and_run_by_run() {
    let site = site("views").await;
    let (saved, ..) = site.post(&site.at("trace"), &[("text", VAN), ("base", "1")]).await;
    assert_eq!(saved, StatusCode::SEE_OTHER);

    // A component: its terminals with what lands there, each value with where it comes from, what was found and remarked.
    let (status, page) = site.get(&site.at("component/conv")).await;
    assert_eq!(status, StatusCode::OK);
    for words in ["charger", "Battery bay", "dc+", "F2.in", "told", "Finding", "turns by hand", "charges itself"] {
        assert!(page.contains(words), "{words}: {page}");
    }
    let (_, page) = site.get(&site.at("component/house")).await;
    assert!(page.contains("marked") && page.contains("run?wire=house.%2B--inv.dc%2B"), "{page}");
    assert_eq!(site.get(&site.at("component/nobody")).await.0, StatusCode::NOT_FOUND);

    // A run: to scale, with the curves of its devices; a conductor without one says so; an unknown one is the first.
    let (_, page) = site.get(&site.at("run?wire=F2.out--house.%2B")).await;
    assert!(page.contains("Device curves") && page.contains("F2 40 A") && page.contains("stands it"), "{page}");
    let (_, page) = site.get(&site.at("run?wire=house.%2B--inv.dc%2B")).await;
    assert!(page.contains("No device of known rating") && page.contains("without limit"), "{page}");
    assert_eq!(site.get(&site.at("run?wire=none")).await.0, StatusCode::OK);

    // As planned: the heater's fuse is larger than its cable, which shows as soon as the heater is drawn on it.
    let (_, page) = site.get(&site.at("planned")).await;
    assert!(page.contains("value=\"heater\" checked") && page.contains("Before you add this"), "{page}");
    let (_, page) = site.get(&site.at("planned?some=1")).await;
    assert!(page.contains("It opens no finding") && !page.contains("checked"), "{page}");

    // A finding is stepped from parked to where it shows, and appliances are put on there.
    let (_, page) = site.get(&site.at("states?finding=charger-loop:conv&move=0")).await;
    assert!(page.contains("Next move") && !page.contains("Move back") && !page.contains("here it shows"), "{page}");
    let (_, page) = site.get(&site.at("states?finding=charger-loop:conv&move=99")).await;
    assert!(
        page.contains("here it shows") && !page.contains("Next move") && page.contains("inv (inverting)"),
        "{page}"
    );
    let (_, page) = site.get(&site.at("states?c0=1&on=conv")).await;
    assert!(page.contains("On together in this state") && page.contains("conv 15 A"), "{page}");

    // Findings by choice.
    let (_, all) = site.get(&site.at("findings")).await;
    let (_, cabin) = site.get(&site.at("findings?place=cabin&hazard=&certainty=")).await;
    let count = |page: &str| page.matches("<article class=\"finding").count();
    assert!(count(&all) > count(&cabin), "{} and {}", count(&all), count(&cabin));
    let (_, loops) = site.get(&site.at("findings?hazard=charger+loop")).await;
    assert_eq!(count(&loops), 1);
    let (_, none) = site.get(&site.at("findings?component=nobody")).await;
    assert!(none.contains("Nothing was found of this choice") && count(&none) == 0, "{none}");
}

#[tokio::test(flavor = "multi_thread")]
async fn an_earlier_revision_a_starter_and_a_file_are_taken_and_not_saved() {
    let site = site("texts").await;
    let (_, page) = site.get(&site.at("trace?starter=van")).await;
    assert!(page.contains("isolator main in bay"), "{page}");
    site.post(&site.at("trace"), &[("text", VAN), ("base", "1"), ("note", "all of it")]).await;
    site.post(&site.at("trace"), &[("text", "rig \"gone\"\nchassis frame\n"), ("base", "2")]).await;
    let (_, page) = site.get(&site.at("trace?revision=2")).await;
    assert!(page.contains("run conv.dc+") && page.contains("name=\"base\" x-ref=\"base\" value=\"3\""), "{page}");
    assert!(page.contains("Battery house") || page.contains("house"), "{page}");
    // What a revision changed stands in its line of the history.
    assert!(page.contains("16 lines less"), "{page}");
    let (_, page) = site.get(&site.at("trace")).await;
    assert!(!page.contains("run conv.dc+"), "nothing was saved by looking");
    // JSON is opened as notation; what it is not says where.
    let rig = murvet_core::notation::parse(VAN).expect("parses").to_json();
    let (status, said) = site.json("trace/open", &serde_json::json!({ "text": rig }).to_string()).await;
    assert_eq!(status, StatusCode::OK);
    assert!(said["text"].as_str().is_some_and(|t| t.contains("run conv.dc+")), "{said}");
    let (_, said) = site.json("trace/open", &serde_json::json!({ "text": "{\"pieces\": 3}" }).to_string()).await;
    assert!(said["message"].as_str().is_some_and(|m| m.contains("at 1:")), "{said}");
}

#[tokio::test(flavor = "multi_thread")]
async fn rule_book_and_bench_answer_anybody_of_a_firm() {
    let site = site("outside").await;
    let (_, page) = site.get("/rules?profile=au-nz").await;
    assert!(
        page.contains("charger-loop") && page.contains("30 mA") && page.contains("May one appliance run"),
        "{page}"
    );
    for rule in murvet_core::rules::RULES {
        let (status, page) = site.get(&format!("/rules/{}", rule.slug)).await;
        assert_eq!(status, StatusCode::OK, "{}", rule.slug);
        assert!(page.contains("<svg") && page.contains("What Murvet says of it"), "{}", rule.slug);
    }
    assert_eq!(site.get("/rules/none").await.0, StatusCode::NOT_FOUND);
    let (_, page) = site.get("/bench/loop").await;
    assert!(page.contains("157 W lost") && page.contains("<svg"), "{page}");
    let (_, page) = site.get("/bench/cable/part?length=5&profile=eu-uk").await;
    assert!(page.contains("One way: ") && page.contains("such as 2.1m") && !page.contains("<html"), "{page}");
    let (_, page) = site.get("/bench/cable?length=%3Cscript%3E").await;
    assert!(!page.contains("<script>") && page.contains("role=\"alert\""), "{page}");
    assert_eq!(site.get("/bench/none").await.0, StatusCode::NOT_FOUND);
}

#[tokio::test(flavor = "multi_thread")]
async fn circuits_sketches_and_revisions_are_told_against_each_other() {
    let site = site("against").await;
    let text = VAN.replace("way conv 15A", "way conv 15A \"charger\", way sock 15A \"sockets\"")
        + "outlet o in cabin\ncable W3 3x14AWG 2m p.sock -> o\n";
    site.post(&site.at("trace"), &[("text", &text), ("base", "1")]).await;
    let (_, page) = site.get(&site.at("circuits?show=ac")).await;
    assert!(page.contains("sockets") && !page.contains("stale") && !page.contains("F2, 40 A"), "{page}");
    assert!(page.contains("<strong>inv</strong>") && page.contains("<strong>dead</strong>"), "{page}");
    // The outlet is moved to the charger's way and nobody writes the legends anew.
    let moved = text.replace("p.sock -> o", "p.conv -> o");
    site.post(&site.at("trace"), &[("text", &moved), ("base", "2"), ("note", "re-fed")]).await;
    let (_, page) = site.get(&site.at("circuits")).await;
    assert!(page.matches(">stale<").count() == 2 && page.contains("written when it fed o; it feeds nothing"), "{page}");
    // The revision says what it changed, in lines, in components and on the map.
    let (_, page) = site.get(&site.at("history/3")).await;
    assert!(page.contains("re-fed") && page.contains("o and p") == page.contains("not joined"), "{page}");
    assert!(page.contains("p.conv -&#62; o") || page.contains("p.conv -&gt; o"), "{page}");
    assert_eq!(site.get(&site.at("history/9")).await.0, StatusCode::NOT_FOUND);

    // A sketch that cannot be read comes back; one that can is told against the trace.
    let (status, _, page) = site.post(&site.at("sketch"), &[("text", "batery house")]).await;
    assert!(status == StatusCode::UNPROCESSABLE_ENTITY && page.contains("batery house"), "{page}");
    let said = "battery house: lifepo4 12.8V 100Ah\nfuse main 200A\n";
    site.post(&site.at("sketch"), &[("text", said), ("note", "the owner's drawing")]).await;
    let (_, page) = site.get(&site.at("sketch")).await;
    for words in ["100Ah", "200Ah", "not there", "Traced and not drawn: inv, p, conv", "the owner&#39;s drawing"] {
        assert!(page.contains(words), "{words}: {page}");
    }
    // What to ask: a choice that decides, and what alterations leave behind.
    let (_, page) = site.get(&site.at("ask")).await;
    assert!(page.contains("Was the inverter added later") && page.contains("trace?edit=house"), "{page}");
    // What one failed part would do, with the rig as it then is.
    let (_, page) = site.get(&site.at("states?fault=list")).await;
    assert!(page.contains("does not close"), "{page}");
    let (_, page) = site.get(&site.at("states?fault=0")).await;
    assert!(page.contains("As if it had happened") && page.contains("fault=0&#38;finding="), "{page}");
}

#[tokio::test(flavor = "multi_thread")]
async fn schools_calculations_and_measures_are_kept_with_who_and_when() {
    let site = site("kept").await;
    site.post(&site.at("trace"), &[("text", VAN), ("base", "1")]).await;
    let choose = |option: &'static str, reason: &'static str| {
        [("school", "first-device"), ("option", option), ("reason", reason)]
    };
    let (status, _, page) = site.post("/schools", &choose("boat-code", "no")).await;
    assert!(status == StatusCode::UNPROCESSABLE_ENTITY && page.contains("Write why"), "{status}: {page}");
    assert_eq!(site.post("/schools", &choose("nonsense", "because of it")).await.0, StatusCode::UNPROCESSABLE_ENTITY);
    site.post("/schools", &choose("boat-code", "we work on boats too")).await;
    let (_, page) = site.get("/rules").await;
    assert!(page.contains("boat-code: we work on boats too (Ana Bell, "), "{page}");
    let (_, page) = site.get(&site.at("findings")).await;
    assert!(page.contains("Chosen: boat-code. Reason: we work on boats too (Ana Bell"), "{page}");
    site.post("/schools", &choose("", "back to the profile")).await;
    let (_, page) = site.get(&site.at("findings")).await;
    assert!(!page.contains("boat-code"), "{page}");

    // A limit of the firm's own judges every rig under its profile, with its source and reason, until it is taken back.
    let limit = |value: &'static str, source: &'static str| {
        [
            ("profile", "na-rv"),
            ("field", "drop_other"),
            ("value", value),
            ("source", source),
            ("reason", "lamps were dim"),
        ]
    };
    for (value, source, says) in
        [("much", "our book", "0.5"), ("7", "our book", "3 % is 0.03"), ("0.02", "", "comes from")]
    {
        let (status, _, page) = site.post("/limits", &limit(value, source)).await;
        assert!(status == StatusCode::UNPROCESSABLE_ENTITY && page.contains(says), "{value}: {page}");
        assert!(
            page.contains(&format!("value=\"{value}\"")) && page.contains("lamps were dim"),
            "what was typed stays"
        );
    }
    assert_eq!(site.post("/limits", &limit("0.02", "our book")).await.0, StatusCode::SEE_OTHER);
    let (_, page) = site.get("/rules?profile=na-rv").await;
    assert!(page.contains("0.02 (our book). lamps were dim (Ana Bell, "), "{page}");
    assert!(!site.get("/rules?profile=eu-uk").await.1.contains("our book"));
    let (_, page) = site.get(&site.at("findings")).await;
    assert!(page.contains("0.02 instead of 0.1") && page.contains("Reason: lamps were dim (Ana Bell"), "{page}");
    site.post("/limits", &limit("", "")).await;
    assert!(!site.get(&site.at("findings")).await.1.contains("lamps were dim"));
    for path in ["/rules?profile=moon", "/bench/cable?profile=moon"] {
        let (status, page) = site.get(path).await;
        assert!(status == StatusCode::UNPROCESSABLE_ENTITY && page.contains("au-nz, eu-uk or na-rv"), "{path}: {page}");
    }

    let visit = site.visit.to_string();
    let fields = [("visit", visit.as_str()), ("profile", "eu-uk"), ("size", "no such field")];
    let (status, headers, _) = site.post("/bench/loop/keep", &fields).await;
    assert_eq!(status, StatusCode::SEE_OTHER);
    let (_, page) = site.get(headers["location"].to_str().expect("text")).await;
    assert!(page.contains("Kept to this visit") && page.contains("Ana Bell, "), "{page}");
    let (_, page) = site.get(&site.at("hand-over")).await;
    assert!(page.contains("Calculations") && page.contains("W lost"), "{page}");
    let foreign = site.foreign.to_string();
    assert_eq!(site.post("/bench/loop/keep", &[("visit", foreign.as_str())]).await.0, StatusCode::NOT_FOUND);

    assert!(!site.get(&site.at("findings")).await.1.contains(" ft)"));
    site.post("/measures", &[("measures", "us")]).await;
    let (_, page) = site.get(&site.at("findings")).await;
    assert!(page.contains("1.5m (4.92 ft)"), "{page}");
}
