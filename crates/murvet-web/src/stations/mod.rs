//! One module a station, and what lies outside a visit: the list of visits, the bench, the rule book, the practice.

pub(crate) mod ask;
pub(crate) mod bench;
pub(crate) mod case;
pub(crate) mod circuits;
pub(crate) mod complaints;
pub(crate) mod csv;
pub(crate) mod day;
pub(crate) mod diagnosis;
pub(crate) mod findings;
pub(crate) mod hand_over;
pub(crate) mod history;
pub(crate) mod left_as;
pub(crate) mod monitor;
pub(crate) mod photographs;
pub(crate) mod piece;
pub(crate) mod planned;
pub(crate) mod practice;
pub(crate) mod put_right;
pub(crate) mod readings;
pub(crate) mod rule_book;
pub(crate) mod run;
pub(crate) mod safe;
pub(crate) mod sketch;
pub(crate) mod states;
pub(crate) mod trace;
pub(crate) mod visits;
