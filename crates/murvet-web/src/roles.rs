//! What each role may do, by route. A route that writes and stands in none of the lists is for inspectors alone, so what is
//! forgotten here is forbidden.

use axum::http::Method;
use murvet_store::Role;

/// What a request needs.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Need {
    /// To be signed in.
    Look,
    /// To work for the office, or to inspect.
    Office,
    /// To inspect.
    Inspect,
}

/// Routes that write nothing of the firm's: one's own account, and questions that are too long for an address.
const OWN: [&str; 9] = [
    "/account/second",
    "/shared",
    "/sign-out",
    "/measures",
    "/account/password",
    "/account/sessions",
    "/visits/{visit}/trace/check",
    "/visits/{visit}/trace/open",
    "/visits/{visit}/trace/suggest",
];

/// Routes that make no verdict and change none.
const OFFICE: [&str; 22] = [
    "/bundle",
    "/fleet",
    "/fleet/{run}/go",
    "/fleet/{run}/rigs/{rig}",
    "/people",
    "/people/{id}/close",
    "/people/{id}/role",
    "/practice/calibrations",
    "/practice/instruments",
    "/practice/instruments/{id}/retire",
    "/practice/licences",
    "/practice/licences/withdraw",
    "/practice/prices",
    "/visits",
    "/visits/{visit}/again",
    "/visits/{visit}/case",
    "/visits/{visit}/complaints",
    "/visits/{visit}/complaints/list",
    "/visits/{visit}/owner",
    "/visits/{visit}/visit",
    "/visits/{visit}/withdraw",
    "/visits/{visit}/years",
];

/// Routes that a read-only person has no business to look at: accounts of others.
const OFFICE_LOOKS: [&str; 2] = ["/people", "/trail"];

/// What a request needs, by its method and the route it fits.
pub(crate) fn need(method: &Method, route: &str) -> Need {
    if method.is_safe() {
        return if OFFICE_LOOKS.contains(&route) { Need::Office } else { Need::Look };
    }
    match route {
        own if OWN.contains(&own) => Need::Look,
        office if OFFICE.contains(&office) => Need::Office,
        _ => Need::Inspect,
    }
}

/// Whether a role may.
pub(crate) fn may(role: Role, need: Need) -> bool {
    match role {
        Role::Inspector => true,
        Role::Office => need != Need::Inspect,
        Role::ReadOnly => need == Need::Look,
    }
}

/// A role in words.
pub(crate) fn words(role: Role) -> &'static str {
    match role {
        Role::Inspector => crate::t("roles.inspector"),
        Role::Office => crate::t("roles.office"),
        Role::ReadOnly => crate::t("roles.read-only"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_forgotten_is_forbidden() {
        assert_eq!(need(&Method::POST, "/visits/{visit}/anything-new"), Need::Inspect);
        assert!(!may(Role::Office, need(&Method::POST, "/visits/{visit}/hand-over")));
        assert!(!may(Role::ReadOnly, need(&Method::POST, "/visits")));
        assert!(may(Role::ReadOnly, need(&Method::GET, "/visits/{visit}/findings")));
    }
}
