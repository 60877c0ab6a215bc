//! Tables as Diesel sees them; see the migrations for their meaning.
#![allow(missing_docs, reason = "the columns are described in the migrations")]

use diesel::{allow_tables_to_appear_in_same_query, table};

table! { firm (id) { id -> BigInt, name -> Text, signing_seed -> Binary, } }
table! { person (firm_id, id) { firm_id -> BigInt, id -> BigInt, login -> Text, name -> Text, qualification -> Text, password_hash -> Text, measures -> Text, role -> Text, closed_at -> Nullable<Timestamptz>, } }
table! { session (token_hash) { token_hash -> Binary, firm_id -> BigInt, person_id -> BigInt, expires_at -> Timestamptz, id -> BigInt, began_at -> Timestamptz, device -> Text, } }
table! { second_factor (firm_id, person_id) { firm_id -> BigInt, person_id -> BigInt, secret -> Binary, last_step -> BigInt, confirmed_at -> Nullable<Timestamptz>, } }
table! { recovery_code (firm_id, person_id, code_hash) { firm_id -> BigInt, person_id -> BigInt, code_hash -> Binary, used_at -> Nullable<Timestamptz>, } }
table! { trail (firm_id, id) { firm_id -> BigInt, id -> BigInt, person_id -> BigInt, about_id -> BigInt, event -> Text, words -> Text, at -> Timestamptz, } }
table! { sent_form (key) { key -> Binary, at -> Timestamptz, led_to -> Nullable<Text>, } }
table! { fleet_run (firm_id, id) { firm_id -> BigInt, id -> BigInt, reason -> Text, state -> Text, person_id -> BigInt, begun_at -> Timestamptz, ended_at -> Nullable<Timestamptz>, } }
table! { fleet_rig (firm_id, run_id, rig_id) { firm_id -> BigInt, run_id -> BigInt, rig_id -> BigInt, state -> Text, against -> Nullable<Text>, revision -> Nullable<Integer>, call_for -> Nullable<Text>, changes -> Integer, partly -> Bool, due_on -> Nullable<Date>, trouble -> Nullable<Text>, worker -> Nullable<Text>, version -> Nullable<Text>, judged_at -> Nullable<Timestamptz>, } }
table! { fleet_try (firm_id, run_id, rig_id, id) { firm_id -> BigInt, run_id -> BigInt, rig_id -> BigInt, id -> BigInt, worker -> Text, at -> Timestamptz, } }
table! { fleet_finding (firm_id, run_id, rig_id, finding) { firm_id -> BigInt, run_id -> BigInt, rig_id -> BigInt, finding -> Text, rule -> Text, statement -> Text, names -> Text, change -> Text, severity -> Text, certainty -> Text, } }
table! { fleet_call (firm_id, run_id, rig_id, id) { firm_id -> BigInt, run_id -> BigInt, rig_id -> BigInt, id -> BigInt, reached -> Bool, note -> Text, person_id -> BigInt, at -> Timestamptz, } }
table! { customer (firm_id, id) { firm_id -> BigInt, id -> BigInt, name -> Text, contact -> Text, language -> Nullable<Text>, } }
table! { rig (firm_id, id) { firm_id -> BigInt, id -> BigInt, customer_id -> BigInt, name -> Text, profile -> Text, builder -> Text, built -> Nullable<Integer>, } }
table! { rig_revision (firm_id, rig_id, number) { firm_id -> BigInt, rig_id -> BigInt, number -> Integer, text -> Text, note -> Text, person_id -> BigInt, made_at -> Timestamptz, } }
table! { visit (firm_id, id) { firm_id -> BigInt, id -> BigInt, rig_id -> BigInt, person_id -> BigInt, planned_on -> Date, hours -> Double, complaint -> Text, kind -> Text, since -> Integer, zone -> Text, withdrawn -> Bool, training -> Bool, } }
table! { mark (firm_id, photograph_id, number) { firm_id -> BigInt, photograph_id -> BigInt, number -> Integer, x -> Double, y -> Double, component -> Text, person_id -> BigInt, at -> Timestamptz, taken_away_by -> Nullable<BigInt>, } }
table! { visit_change (firm_id, id) { firm_id -> BigInt, id -> BigInt, visit_id -> BigInt, event -> Text, reason -> Text, before -> Text, person_id -> BigInt, at -> Timestamptz, } }
table! { safe_step (firm_id, visit_id, step) { firm_id -> BigInt, visit_id -> BigInt, step -> Text, person_id -> BigInt, done_at -> Timestamptz, } }
table! { reading (firm_id, id) { firm_id -> BigInt, id -> BigInt, visit_id -> BigInt, revision -> Integer, test -> Text, title -> Text, value -> Double, unit -> Text, outcome -> Text, words -> Text, supersedes -> Nullable<BigInt>, person_id -> BigInt, taken_at -> Timestamptz, client -> Nullable<Text>, samples -> Array<Double>, instruments -> Array<BigInt>, lower_rank -> Bool, means -> Text, } }
table! { finding_event (firm_id, id) { firm_id -> BigInt, id -> BigInt, visit_id -> BigInt, finding -> Text, statement -> Text, event -> Text, note -> Text, revision -> Integer, person_id -> BigInt, at -> Timestamptz, until -> Nullable<Date>, condition -> Nullable<Text>, } }
table! { action (firm_id, id) { firm_id -> BigInt, id -> BigInt, visit_id -> BigInt, finding -> Text, title -> Text, minutes -> Integer, condition -> Nullable<Text>, live_because -> Nullable<Text>, revision -> Integer, person_id -> BigInt, done_at -> Timestamptz, own -> Bool, parts -> Text, took -> Nullable<Integer>, not_to_be_left -> Nullable<Text>, } }
table! { hand_over (firm_id, id) { firm_id -> BigInt, id -> BigInt, visit_id -> BigInt, record -> Text, signature -> Binary, public_key -> Binary, person_id -> BigInt, signed_at -> Timestamptz, } }
table! { firm_choice (firm_id, id) { firm_id -> BigInt, id -> BigInt, school -> Text, option -> Nullable<Text>, reason -> Text, person_id -> BigInt, at -> Timestamptz, } }
table! { firm_limit (firm_id, id) { firm_id -> BigInt, id -> BigInt, base -> Text, field -> Text, value -> Nullable<Text>, source -> Text, reason -> Text, person_id -> BigInt, at -> Timestamptz, } }
table! { kept_calculation (firm_id, id) { firm_id -> BigInt, id -> BigInt, visit_id -> BigInt, calculation -> Text, title -> Text, query -> Text, answer -> Text, person_id -> BigInt, at -> Timestamptz, } }
table! { sketch (firm_id, id) { firm_id -> BigInt, id -> BigInt, rig_id -> BigInt, text -> Text, note -> Text, person_id -> BigInt, at -> Timestamptz, } }
table! { #[sql_name = "override"] overrides (firm_id, id) { firm_id -> BigInt, id -> BigInt, visit_id -> BigInt, phase -> Text, reason -> Text, person_id -> BigInt, at -> Timestamptz, } }
table! { photograph (firm_id, id) { firm_id -> BigInt, id -> BigInt, visit_id -> BigInt, subject -> Text, moment -> Text, note -> Text, object -> Text, thumbnail -> Text, sha256 -> Binary, width -> Integer, height -> Integer, person_id -> BigInt, at -> Timestamptz, } }
table! { instrument (firm_id, id) { firm_id -> BigInt, id -> BigInt, name -> Text, serial -> Text, tools -> Text, retired_at -> Nullable<Timestamptz>, } }
table! { calibration (firm_id, id) { firm_id -> BigInt, id -> BigInt, instrument_id -> BigInt, done_on -> Date, due_on -> Date, certificate -> Text, person_id -> BigInt, at -> Timestamptz, } }
table! { in_case (firm_id, id) { firm_id -> BigInt, id -> BigInt, visit_id -> BigInt, instrument_id -> BigInt, there -> Bool, person_id -> BigInt, at -> Timestamptz, } }
table! { left_out (firm_id, id) { firm_id -> BigInt, id -> BigInt, visit_id -> BigInt, test -> Text, title -> Text, reason -> Text, to_owner -> Bool, person_id -> BigInt, at -> Timestamptz, } }
table! { left_as (firm_id, id) { firm_id -> BigInt, id -> BigInt, visit_id -> BigInt, component -> Text, position -> Text, note -> Text, person_id -> BigInt, at -> Timestamptz, } }
table! { complaint (firm_id, id) { firm_id -> BigInt, id -> BigInt, visit_id -> BigInt, told_by -> Text, words -> Text, symptom -> Text, about -> Nullable<Text>, on_source -> Nullable<Text>, delay_minutes -> Nullable<Integer>, person_id -> BigInt, at -> Timestamptz, } }
table! { complaint_standing (firm_id, id) { firm_id -> BigInt, id -> BigInt, complaint_id -> BigInt, standing -> Text, test -> Nullable<Text>, note -> Text, person_id -> BigInt, at -> Timestamptz, } }
table! { licence (firm_id, id) { firm_id -> BigInt, id -> BigInt, holder_id -> BigInt, kind -> Text, region -> Text, number -> Text, ends_on -> Nullable<Date>, person_id -> BigInt, at -> Timestamptz, } }
table! { licence_withdrawn (firm_id, licence_id) { firm_id -> BigInt, licence_id -> BigInt, why -> Text, person_id -> BigInt, at -> Timestamptz, } }
table! { work_text (firm_id, id) { firm_id -> BigInt, id -> BigInt, visit_id -> BigInt, kind -> Text, text -> Text, person_id -> BigInt, at -> Timestamptz, } }
table! { referral (firm_id, id) { firm_id -> BigInt, id -> BigInt, visit_id -> BigInt, title -> Text, kinds -> Text, brief -> Text, person_id -> BigInt, at -> Timestamptz, } }
table! { referral_back (firm_id, id) { firm_id -> BigInt, id -> BigInt, referral_id -> BigInt, done_by -> Text, certificate -> Text, issuer -> Text, done_on -> Date, person_id -> BigInt, at -> Timestamptz, } }
table! { price_list (firm_id, id) { firm_id -> BigInt, id -> BigInt, csv -> Text, currency -> Text, tax_tenths -> Integer, hour_cents -> BigInt, person_id -> BigInt, at -> Timestamptz, } }
table! { origin (firm_id, visit_id) { firm_id -> BigInt, visit_id -> BigInt, firm -> Text, public_key -> Binary, sha256 -> Binary, made_at -> Text, record -> Text, person_id -> BigInt, at -> Timestamptz, } }

allow_tables_to_appear_in_same_query!(
    firm,
    person,
    session,
    customer,
    fleet_run,
    fleet_rig,
    fleet_try,
    fleet_finding,
    fleet_call,
    rig,
    rig_revision,
    visit,
    visit_change,
    safe_step,
    reading,
    finding_event,
    action,
    hand_over,
    firm_choice,
    firm_limit,
    kept_calculation,
    sketch,
    overrides,
    photograph,
    mark,
    instrument,
    calibration,
    in_case,
    left_as,
    left_out,
    complaint,
    complaint_standing,
    licence,
    licence_withdrawn,
    work_text,
    referral,
    referral_back,
    price_list,
    origin
);
