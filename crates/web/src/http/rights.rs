//! The right that each address asks for. What an entry of a job needs beside that follows from what it says, and the ledger itself goes by it.
use actix_web::http::Method;
use velvet_dial_core::rights::Right;

/// Addresses that ask for more than a look or work, by their beginning: for the pages, and for what is sent to them.
const TABLE: [(&str, Right, Right); 19] = [
    ("/cautions", Right::Look, Right::Look),
    ("/me", Right::Look, Right::Look),
    ("/first-day", Right::Look, Right::RunShop),
    ("/jobs/new", Right::Work, Right::Work),
    ("/jobs/{number}/link", Right::Approve, Right::Approve),
    ("/jobs", Right::Look, Right::Work),
    ("/practice/tasks/{task}/begin", Right::Practise, Right::Practise),
    ("/practice/tasks", Right::Practise, Right::SetTasks),
    ("/practice", Right::Practise, Right::Practise),
    ("/library", Right::Look, Right::EditSheets),
    ("/gauges", Right::Look, Right::EditGauges),
    ("/adapters", Right::Look, Right::EditGauges),
    ("/rigs", Right::Look, Right::PairLoggers),
    ("/ways", Right::Look, Right::ChooseWays),
    ("/people", Right::RunShop, Right::RunShop),
    ("/programs", Right::RunShop, Right::RunShop),
    ("/data", Right::RunShop, Right::RunShop),
    ("/audit", Right::RunShop, Right::RunShop),
    ("/tablets", Right::RunShop, Right::RunShop),
];

/// The right that a request needs; `pattern` is its address as it is routed. What no line of the table names changes the shop itself.
pub fn needed(method: &Method, pattern: &str) -> Right {
    let looks = method.is_safe();
    let row = TABLE.iter().find(|(of, ..)| pattern.strip_prefix(of).is_some_and(|rest| rest.is_empty() || rest.starts_with('/')));
    match row {
        Some((_, look, _)) if looks => *look,
        Some((.., act)) => *act,
        None if looks => Right::Look,
        None => Right::RunShop,
    }
}
