//! What a plan costs: a bill of quantities from its parts and minutes, by a firm's own prices.

use super::day::Part;
use schemars::JsonSchema;
use serde::Serialize;

/// A price of a firm's list.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Price {
    /// The part, by its name as plans name it; case and blanks do not matter.
    pub part: String,
    /// Of one piece or one metre, in hundredths of the currency.
    pub cents: i64,
    /// Pieces or metres in the van, where they are counted.
    pub stock: Option<u32>,
}

/// What is charged beside parts.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Terms {
    /// ISO 4217.
    pub currency: String,
    /// Tax in tenths of a per cent.
    pub tax_tenths: u32,
    /// An hour of one person's work, in hundredths of the currency.
    pub hour_cents: i64,
}

/// A line of a bill of quantities.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct BillLine {
    /// The part.
    pub part: String,
    /// `x` or `m`.
    pub unit: &'static str,
    /// How many, in tenths.
    pub tenths: u32,
    /// Price of one, in hundredths; none where the list has none.
    pub each_cents: Option<i64>,
    /// Price of the line, in hundredths.
    pub cents: i64,
    /// What the van lacks of it, in tenths, where the stock is counted.
    pub lacks_tenths: u32,
}

/// A bill of quantities.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, JsonSchema)]
pub struct Bill {
    /// ISO 4217.
    pub currency: String,
    /// Parts, in the order of the plan.
    pub lines: Vec<BillLine>,
    /// Minutes of work, of all people together.
    pub minutes: u32,
    /// Price of the work, in hundredths.
    pub work_cents: i64,
    /// Parts and work, in hundredths.
    pub net_cents: i64,
    /// Tax in tenths of a per cent.
    pub tax_tenths: u32,
    /// Tax, in hundredths.
    pub tax_cents: i64,
    /// What is paid, in hundredths.
    pub gross_cents: i64,
}

impl Bill {
    /// Parts without a price: what is offered without them is not the whole.
    pub fn without_price(&self) -> impl Iterator<Item = &BillLine> {
        self.lines.iter().filter(|l| l.each_cents.is_none())
    }
}

/// A name of a part as it is compared.
fn plain(name: &str) -> String {
    name.split_whitespace().map(str::to_lowercase).collect::<Vec<_>>().join(" ")
}

/// A product of hundredths by a fraction, to the nearest hundredth, halves away from zero.
fn share(cents: i64, times: u32, of: u32) -> i64 {
    let (product, of) = (i128::from(cents) * i128::from(times), i128::from(of));
    i64::try_from((2 * product + of * product.signum()) / (2 * of)).unwrap_or(i64::MAX)
}

/// The bill of parts and minutes. Pieces are charged whole, metres in tenths; each line, the work and the tax are rounded to a
/// hundredth, and everything else is a sum, so that the bill adds up as it is printed.
///
/// ```
/// use murvet_core::work::day::Part;
/// use murvet_core::work::price::{Price, Terms, bill};
/// let part = |name: &str, unit, tenths| Part { name: name.to_owned(), unit, tenths };
/// let parts = [part("conductor 16mm2 red", "m", 22), part("fuse 60A bolt-down", "x", 10), part("label", "x", 10)];
/// let price = |part: &str, cents, stock| Price { part: part.to_owned(), cents, stock };
/// let prices = [price("Conductor 16mm2  red", 415, Some(10)), price("fuse 60A bolt-down", 1295, Some(0))];
/// let terms = Terms { currency: "EUR".to_owned(), tax_tenths: 190, hour_cents: 6800 };
/// let bill = bill(&parts, 50, &prices, &terms);
/// // 2.2 m at 4.15 are 9.13; 9.13 + 12.95 + 50 min at 68.00 an hour (56.67) are 78.75; 19 % of that are 14.96.
/// assert_eq!((bill.lines[0].cents, bill.work_cents, bill.net_cents, bill.tax_cents), (913, 5667, 7875, 1496));
/// assert_eq!((bill.gross_cents, bill.lines[1].lacks_tenths, bill.without_price().count()), (9371, 10, 1));
/// ```
pub fn bill(parts: &[Part], minutes: u32, prices: &[Price], terms: &Terms) -> Bill {
    let line = |part: &Part| {
        let price = prices.iter().find(|p| plain(&p.part) == plain(&part.name));
        let tenths = if part.unit == "m" { part.tenths } else { part.tenths.div_ceil(10) * 10 };
        BillLine {
            part: part.name.clone(),
            unit: part.unit,
            tenths,
            each_cents: price.map(|p| p.cents),
            cents: price.map_or(0, |p| share(p.cents, tenths, 10)),
            lacks_tenths: price.and_then(|p| p.stock).map_or(0, |s| tenths.saturating_sub(s.saturating_mul(10))),
        }
    };
    let lines: Vec<BillLine> = parts.iter().map(line).collect();
    let work_cents = share(terms.hour_cents, minutes, 60);
    let net_cents = lines.iter().map(|l| l.cents).sum::<i64>() + work_cents;
    let tax_cents = share(net_cents, terms.tax_tenths, 1000);
    Bill {
        currency: terms.currency.clone(),
        lines,
        minutes,
        work_cents,
        net_cents,
        tax_tenths: terms.tax_tenths,
        tax_cents,
        gross_cents: net_cents + tax_cents,
    }
}
