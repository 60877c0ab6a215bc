//! The demo firm's licences and prices.

use chrono::{DateTime, Duration, Utc};
use murvet_core::profiles::ProfileId;
use murvet_store::{NewLicence, PriceList, Store};

const PRICES: &str = "part,price,stock
label,0.40,200
conductor 16mm2 red,4.15,10
conductor 25mm2 red,6.30,8
conductor 2.5mm2 red,0.95,50
fuse 15A blade,0.60,20
fuse 60A bolt-down,12.95,2
fuse 100A mega,9.80,4
fuse 300A class-t,64.00,1
lug 16mm2,1.10,40
lug 25mm2,1.45,20
";

/// One inspects and works at extra-low voltage, the other is a licensed electrician.
pub(super) async fn licences(store: &Store, firm: i64, people: &[i64], now: DateTime<Utc>) -> anyhow::Result<()> {
    let today = now.date_naive();
    let held = [
        (people[0], "extra-low", "LV-2216, Board of Trades", Some(today + Duration::days(400))),
        (people[0], "mains-plugged", "PA-871, Board of Trades", Some(today + Duration::days(400))),
        (people[1], "extra-low", "E-50133, Board of Trades", None),
        (people[1], "mains-fixed", "E-50133, Board of Trades", None),
        (people[1], "mains-plugged", "E-50133, Board of Trades", None),
        (people[1], "gas-locker", "G-4410, Gas Register", Some(today + Duration::days(30))),
    ];
    for region in ProfileId::all().map(ProfileId::word) {
        for (holder, kind, number, ends_on) in held {
            store.add_licence(firm, &NewLicence { holder, kind, region, number, ends_on }, people[0], now).await?;
        }
    }
    let list = PriceList { csv: PRICES.to_owned(), currency: "USD".to_owned(), tax_tenths: 80, hour_cents: 9_500 };
    store.set_prices(firm, &list, people[0], now).await?;
    Ok(())
}
