//! The circuit list and the fault card of the demo rigs, written down by hand from each rig: a device, what is ahead of it, what it
//! feeds, and the devices behind it.

use murvet_core::audit::audit;
use murvet_core::notation::parse;
use murvet_core::readings::{
    CardStep, Circuit, May, Opened, Press, SafeOf, circuits, fault_card, make_safe, switch_card,
};

fn audited(text: &str) -> murvet_core::audit::Audit {
    let rig = parse(text).expect("reads");
    audit(&rig, rig.profile.expect("its own"))
}

#[track_caller]
fn listed(text: &str, expected: &[&str]) {
    let line =
        |c: &Circuit| format!("{} < {} | {} > {}", c.name(), c.ahead.join(" "), c.feeds.join(", "), c.behind.join(" "));
    let list: Vec<String> = circuits(&audited(text)).iter().map(line).collect();
    assert_eq!(list, expected);
}

#[test]
fn circuits_of_the_heron() {
    listed(
        include_str!("../../murvet/demo/heron.rig"),
        &[
            "ac < inverter shore |  > ac.aircon ac.convert ac.gen ac.sockets-a ac.sockets-b",
            "ac.sockets-a < ac | Kettle, Microwave, galley-1, galley-2, patio > ",
            "ac.sockets-b < ac | Computer, Television, bath-1, bunk-1, bunk-2, desk > ",
            "ac.convert < ac | Converter > ",
            "ac.aircon < ac | Air conditioner > ",
            "ac.gen < ac |  > genset",
            "conv-fuse < conv | inverter > dc-feed solar-fuse",
            "dc.pump < dc-feed | water-pump > ",
            "dc.lights < dc-feed | lamps > ",
            "dc.fan < dc-feed | roof-fan > ",
            "dc.heater < dc-feed | Bunk heater > ",
            "dc.fridge < dc-feed | Compressor fridge > ",
            "dc.alarm < dc-feed | Gas and smoke alarms > ",
            "dc.furnace < dc-feed | Furnace fan > ",
            "dc.usb < dc-feed | USB sockets > ",
            "dc.step < dc-feed | Entry step > ",
            "dc.awning < dc-feed | Awning motor > ",
            "dc-feed < conv-fuse house |  > dc.alarm dc.awning dc.fan dc.fridge dc.furnace dc.heater dc.lights dc.pump dc.step dc.usb",
            "solar-fuse < conv-fuse house |  > mppt",
        ],
    );
}

#[test]
fn circuits_of_the_currawong() {
    listed(
        include_str!("../../murvet/demo/currawong.rig"),
        &[
            "boost-fuse < main-fuse mains-fuse |  > booster",
            "charge-fuse < alt crank | DC-DC charger > ",
            "cu < site |  > cu.charge cu.gpo",
            "cu.gpo < cu | Outlet 1, Outlet 2 > ",
            "cu.charge < cu | Mains charger > ",
            "dc.fridge < dc-fuse | Fridge > ",
            "dc.lamps < dc-fuse | Canopy lamps > ",
            "dc.comp < dc-fuse | Air compressor > ",
            "dc.pump < dc-fuse | Water pump > ",
            "dc-fuse < main-fuse mains-fuse |  > dc.comp dc.fridge dc.lamps dc.pump",
            "inv-fuse < main-fuse mains-fuse | Inverter > ",
            "main-fuse < house |  > boost-fuse dc-fuse inv-fuse",
            "mains-fuse < mains |  > boost-fuse dc-fuse inv-fuse",
        ],
    );
}

#[test]
fn circuits_of_the_egret() {
    listed(
        include_str!("../../murvet/demo/egret.rig"),
        &[
            "bank-fuse < house |  > combi-fuse solar-fuse step-fuse",
            "combi-fuse < bank-fuse | Inverter-charger > combi",
            "dc.lights < low-fuse | lights > ",
            "dc.pump < low-fuse | Water pump > ",
            "dc.furnace < low-fuse | Furnace > ",
            "dc.thermostat < low-fuse | Thermostats > ",
            "low-fuse < step |  > dc.furnace dc.lights dc.pump dc.thermostat",
            "main < genset shore |  > main.air2 main.combi main.dryer main.air1",
            "main.combi < main |  > combi sub",
            "main.air1 < main | Front air conditioner > ",
            "main.air2 < main | Rear air conditioner > ",
            "main.dryer < main | Dryer > ",
            "solar-fuse < bank-fuse |  > mppt",
            "step-fuse < bank-fuse | 48 to 12 V converter > ",
            "sub < combi main.combi |  > sub.bedroom sub.microwave sub.galley sub.outside",
            "sub.galley < sub | Kettle, galley-1, galley-2 > ",
            "sub.microwave < sub | Microwave > ",
            "sub.bedroom < sub | Television, bedroom-1 > ",
            "sub.outside < sub | step-1 > ",
        ],
    );
}

#[test]
fn circuits_of_the_kite() {
    listed(
        include_str!("../../murvet/demo/kite.rig"),
        &[
            "combi-fuse < main-fuse | Inverter-charger > combi",
            "cu.sockets < combi guard | desk, galley > ",
            "cu.heater < combi guard | Water heater > ",
            "dc.lamps < fuse-dc | lamps > ",
            "dc.pump < fuse-dc | pump > ",
            "dc.fridge < fuse-dc | fridge > ",
            "dc.vent < fuse-dc | vent > ",
            "dc.usb < fuse-dc |  > ",
            "fuse-alarm < main-fuse | Gas and smoke alarm > ",
            "fuse-boost < main-fuse |  > booster",
            "fuse-dc < main-fuse |  > dc.fridge dc.lamps dc.pump dc.usb dc.vent",
            "fuse-pv < house |  > mppt",
            "fuse-start < alt start | Booster > ",
            "guard < hookup |  > combi cu.heater cu.sockets",
            "main-fuse < house |  > combi-fuse fuse-alarm fuse-boost fuse-dc",
        ],
    );
}

#[test]
fn the_fault_card_says_what_is_dead_and_what_may_be_done() {
    let kite = audited(include_str!("../../murvet/demo/kite.rig"));
    let card = fault_card(&kite);
    let of = |name: &str| card.iter().find(|l| l.device.0 == name).unwrap_or_else(|| panic!("{name}"));
    // A branch: its own load, then what is ahead of it up to the battery.
    let pump = of("dc.pump");
    assert_eq!(
        (pump.dead.clone(), pump.opened, pump.may),
        (vec!["pump".to_owned()], Opened::SeenThrough, May::ReplaceOnce)
    );
    assert_eq!((pump.place.as_deref(), pump.spare.as_deref()), (Some("Living space"), Some("10 A blade")));
    assert_eq!(pump.then, ["fuse-dc", "main-fuse", "house"]);
    // The main fuse takes everything that hangs on the battery, the inverter-charger too.
    let mut main = of("main-fuse").dead.clone();
    main.sort();
    assert_eq!(main, ["Gas and smoke alarm", "Inverter-charger", "fridge", "lamps", "pump", "vent"]);
    assert_eq!((of("main-fuse").opened, of("main-fuse").spare.as_deref()), (Opened::Hidden, Some("200 A class-t")));
    // A residual-current breaker is reset, not replaced.
    assert_eq!(
        (of("guard").opened, of("guard").may, of("guard").spare.clone()),
        (Opened::Residual, May::ResetOnce, None)
    );
    // A way that feeds nothing has no line.
    assert!(card.iter().all(|l| l.device.0 != "dc.usb"));

    // Where something must be put right before use, nobody resets anything.
    let heron = audited(include_str!("../../murvet/demo/heron.rig"));
    let card = fault_card(&heron);
    let may = |name: &str| card.iter().find(|l| l.device.0 == name).map(|l| l.may);
    assert_eq!(may("dc.heater"), Some(May::LeaveAlone), "its cable is too thin");
    assert_eq!(may("ac.convert"), Some(May::LeaveAlone), "the converter charges itself");
    assert_eq!(may("dc.pump"), Some(May::ReplaceOnce));
    // With the converter's fuse out the battery still feeds everything: nothing is dead but what hangs on that fuse alone.
    let dead = |name: &str| card.iter().find(|l| l.device.0 == name).map(|l| l.dead.len());
    assert_eq!((dead("dc-feed"), dead("dc.pump")), (Some(10), Some(1)));
    assert_eq!(dead("conv-fuse"), None);

    // Behind a converter everything hangs on the fuse of its input; mains circuits have another feed.
    let egret = audited(include_str!("../../murvet/demo/egret.rig"));
    let card = fault_card(&egret);
    let of = |name: &str| {
        let mut dead = card.iter().find(|l| l.device.0 == name).unwrap_or_else(|| panic!("{name}")).dead.clone();
        dead.sort();
        dead
    };
    assert_eq!(of("step-fuse"), ["48 to 12 V converter", "Furnace", "Thermostats", "Water pump", "lights"]);
    assert_eq!(of("low-fuse"), ["Furnace", "Thermostats", "Water pump", "lights"]);
    let bank = of("bank-fuse");
    assert!(bank.contains(&"Inverter-charger".to_owned()) && bank.contains(&"lights".to_owned()));
    assert!(!bank.contains(&"Microwave".to_owned()), "shore feeds it as well");
}

#[test]
fn the_card_of_switches_goes_in_the_order_of_making_safe_and_names_every_source() {
    // Written down from the rigs: what each source is taken off by.
    let card = |text: &str| -> Vec<String> {
        let line = |s: &CardStep| match &s.press {
            Press::Open(switches) => format!("{}: {}", s.source.0, switches.join(", ")),
            other => format!("{}: {other:?}", s.source.0),
        };
        switch_card(&audited(text)).iter().map(line).collect()
    };
    let (heron, kite) = (include_str!("../../murvet/demo/heron.rig"), include_str!("../../murvet/demo/kite.rig"));
    assert_eq!(
        card(heron),
        [
            "shore: Unplug",
            "genset: Stop",
            "inverter: SwitchOff",
            "panels: pv-switch",
            "house: main-switch (Dinette bench)"
        ]
    );
    // The van charges from its engine as well, and nothing switches its starter battery.
    let van = card(kite);
    assert_eq!(van[..4], ["hookup: Unplug", ": Stop", "combi: SwitchOff", "panels: pv-switch"]);
    assert!(van[4..].contains(&"start: NoSwitch".to_owned()) && van[4].starts_with("house: main-switch"), "{van:?}");
    let bare = "rig r profile eu-uk\nbattery b: agm 12V 90Ah\narray sun: isc 9A voc 40V 330W\ncontroller m: 30A 50V\n\
                run sun.+ : 5m 6mm2, m.pv+\nrun sun.- : 5m 6mm2, m.pv-\nrun b.+ : 0.1m 6mm2, fuse F1 30A blade, 1m 6mm2, m.bat+\nrun b.- : 1m 6mm2, m.bat-\n";
    assert_eq!(card(bare), ["sun: NoSwitch", "b: NoSwitch"]);
    let (currawong, egret) =
        (include_str!("../../murvet/demo/currawong.rig"), include_str!("../../murvet/demo/egret.rig"));
    for text in [heron, kite, currawong, egret] {
        let audit = audited(text);
        let steps = make_safe(&audit);
        let at = |s: &CardStep| {
            let own = |of: &SafeOf| match of {
                SafeOf::Component(id) => *id == s.source.0,
                SafeOf::Engine => s.source.0.is_empty(),
                _ => false,
            };
            // An inlet is tested before it is unplugged: the last step of a source takes it off.
            let places = steps.iter().enumerate().filter(|(_, step)| own(&step.of) && !step.id.starts_with("points:"));
            places.map(|(n, _)| n).next_back().expect("each source is made safe")
        };
        let card = switch_card(&audit);
        let order: Vec<usize> = card.iter().map(at).collect();
        assert!(order.is_sorted(), "{order:?} of {card:?}");
    }
}
