//! People and what they may do: every address by every role, what waits for a foreman, invitations, sessions, and the first day of an empty installation.
use crate::house::FORM;
use crate::support::person::{Person, location};
use crate::support::screen::{self, until};
use reqwest::StatusCode;
use std::collections::BTreeSet;
use std::path::Path;
use thirtyfour::prelude::*;
use uuid::Uuid;
use velvet_dial_core::case::Phase;
use velvet_dial_core::rights::{Right, Role};
use velvet_dial_store::accounts::{self, NewUser};
use velvet_dial_store::jobs::{self, Body, Write, Written};
use velvet_dial_testkit::Browser;

const PASSWORD: &str = "heron valve gravel";

/// Every address that the sources name, with its method.
fn addresses(folder: &Path, found: &mut BTreeSet<(bool, String)>) {
    for entry in std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()) {
        if entry.is_dir() {
            addresses(&entry, found);
        } else if entry.extension().is_some_and(|kind| kind == "rs") {
            let text = std::fs::read_to_string(&entry).unwrap();
            for route in text.split(".route(").skip(1) {
                let Some((path, rest)) = route.trim_start().strip_prefix('"').and_then(|rest| rest.split_once('"')) else { continue };
                let Some(method) = rest.trim_start_matches([',', ' ', '\n']).split('(').next() else { continue };
                if matches!(method, "get" | "post") {
                    found.insert((method == "post", path.to_owned()));
                }
            }
        }
    }
}

/// The rights that templates ask for by their word.
fn rights_in_templates(folder: &Path, found: &mut Vec<String>) {
    for entry in std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()) {
        if entry.is_dir() {
            rights_in_templates(&entry, found);
        } else if entry.extension().is_some_and(|kind| kind == "html") {
            let text = std::fs::read_to_string(&entry).unwrap();
            found.extend(text.split("chrome.may(\"").skip(1).map(|rest| rest.split('"').next().unwrap().to_owned()));
        }
    }
}

/// A path of this address, of things that there are not, but for job 9.
fn path_of(address: &str) -> String {
    let mut path = String::new();
    let mut rest = address;
    while let Some((before, after)) = rest.split_once('{') {
        let (name, after) = after.split_once('}').unwrap();
        path.push_str(before);
        path.push_str(match name.split(':').next().unwrap() {
            "number" => "9",
            "stage" => "run",
            "kind" if name.contains("captures") => "captures",
            "kind" | "topic" | "name" | "cause" | "part" | "size" | "file" | "code" | "path" | "token" => "none",
            _ => "00000000-0000-0000-0000-000000000001",
        });
        rest = after;
    }
    path + rest
}

/// What the table says of an address, said once more by hand: what a right is called for in the product, and no other.
fn right_of(acts: bool, path: &str) -> Right {
    let is = |of: &[&str]| of.iter().any(|one| path == *one || path.starts_with(&format!("{one}/")));
    match acts {
        _ if is(&["/people", "/audit", "/tablets", "/data", "/programs"]) || path == "/settings" && acts => Right::RunShop,
        true if is(&["/learnt"]) || path == "/first-day/over" => Right::RunShop,
        true if path.starts_with("/jobs/{number}/link") => Right::Approve,
        true if is(&["/jobs"]) => Right::Work,
        true if path.ends_with("/begin") => Right::Practise,
        true if is(&["/practice/tasks"]) => Right::SetTasks,
        _ if is(&["/practice"]) => Right::Practise,
        true if is(&["/library"]) => Right::EditSheets,
        true if is(&["/gauges", "/adapters"]) => Right::EditGauges,
        true if is(&["/rigs"]) => Right::PairLoggers,
        true if path == "/ways" => Right::ChooseWays,
        false if path == "/jobs/new" => Right::Work,
        _ => Right::Look,
    }
}

#[tokio::test]
async fn every_address_asks_every_role_for_its_right() {
    let (base, db) = crate::support::start_with().await;
    let shop = crate::support::ines(&db).await.shop;
    let mut all = BTreeSet::new();
    addresses(Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/src")), &mut all);
    assert!(all.len() > 110, "{}", all.len());
    let mut named = Vec::new();
    rights_in_templates(Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/src")), &mut named);
    assert!(named.len() > 8 && named.iter().all(|word| Right::parse(word).is_some()), "{named:?}");
    // Who is not signed in gets no further than these.
    let open = [
        "/sign-in",
        "/sign-out",
        "/preferences",
        "/healthz",
        "/assets",
        "/sw.js",
        "/first-day",
        "/join",
        "/yes",
        "/check",
        "/report-key.pem",
        "/shop-authority.pem",
    ];
    let is_open = |path: &str| {
        path == "/tablet"
            || path.starts_with("/tablet/")
            || path != "/first-day/path" && path != "/first-day/over" && open.iter().any(|one| path.starts_with(one))
    };
    let nobody = Person::at(&base);
    let ask = async |who: &Person, acts: bool, address: &str| {
        let path = path_of(address);
        if acts { who.post(&path, FORM).await } else { who.get(&path).await }.status()
    };
    for (acts, address) in all.iter().filter(|(_, address)| !is_open(address)) {
        assert_eq!(ask(&nobody, *acts, address).await, StatusCode::SEE_OTHER, "{acts} {address}");
    }
    for (role, id, _) in Role::ALL {
        accounts::add_user(&db, shop, &NewUser::of(*role, id, id, PASSWORD)).await.unwrap().unwrap();
        let who = Person::at(&base).entering_as(id, PASSWORD).await;
        for (acts, address) in all.iter().filter(|(_, address)| !is_open(address)) {
            let status = ask(&who, *acts, address).await;
            let refused = !role.may_do(right_of(*acts, address));
            assert_eq!(status == StatusCode::FORBIDDEN, refused, "{id} {acts} {address}: {status}");
            assert!(!status.is_server_error(), "{id} {acts} {address}: {status}");
        }
    }
}

#[tokio::test]
async fn what_an_apprentice_may_not_write_waits_for_a_foreman() {
    let (base, db) = crate::support::start_with().await;
    let ines = Person::at(&base).entering_as("ines", "brass needle").await;
    let odd = Person::at(&base).entering_as("odd", "brass needle").await;
    let pia = Person::at(&base).entering_as("pia", "brass needle").await;
    let viewer = crate::support::ines(&db).await;
    let last = async |number: i64| jobs::load(&db, &viewer, number).await.unwrap().entries.last().cloned().unwrap();
    let send = async |who: &Person, path: &str, form: &[(&str, &str)]| {
        let key = Uuid::new_v4().to_string();
        let form: Vec<(&str, &str)> = form.iter().copied().chain([("key", key.as_str())]).collect();
        who.post(path, &form).await
    };
    let waiting = async || jobs::foreman_requests(&db, &viewer).await.unwrap();
    // What stops the engine counts at once, also against somebody else's words; and a check that was put off may be done by anybody.
    let hand = accounts::demo_viewer(&db, "odd").await.unwrap().unwrap();
    let quiet = Write::of(Body::evidence("oil_look", "clean", Phase::Before), "q1");
    assert!(matches!(jobs::write(&db, &hand, 7, &quiet).await.unwrap(), Written::Stands(_)));
    let said = last(7).await.id.to_string();
    send(&pia, "/jobs/7/evidence", &[("check", "oil_look"), ("outcome", "metal"), ("stage", "look"), ("supersedes", &said)]).await;
    assert!(waiting().await.is_empty() && last(7).await.author_name == "Pia", "{:?}", last(7).await);
    let metal = last(7).await.id.to_string();
    let put_off = Write::of(Body::PutOff { check: "oil_grade".into(), cannot: false, phase: Phase::Before }, "q2");
    jobs::write(&db, &hand, 7, &put_off).await.unwrap();
    let put_off = last(7).await.id.to_string();
    send(&pia, "/jobs/7/evidence", &[("check", "oil_grade"), ("outcome", "thicker"), ("stage", "look"), ("supersedes", &put_off)]).await;
    assert!(waiting().await.is_empty() && last(7).await.author_name == "Pia", "{:?}", last(7).await);
    // Back again it goes only with a foreman, though the words are the own ones.
    send(&pia, "/jobs/7/evidence", &[("check", "oil_look"), ("outcome", "clean"), ("stage", "look"), ("supersedes", &metal)]).await;
    let request = waiting().await.remove(0);
    assert_eq!(request.right, Right::LoosenStop);
    send(&pia, &format!("/jobs/7/requests/{}", request.id), &[("answer", "no")]).await;
    // A finding that stops the engine counts at once.
    let found = [("check", "oil_look"), ("outcome", "metal"), ("stage", "look")];
    send(&pia, "/jobs/8/evidence", &found).await;
    assert!(waiting().await.is_empty() && last(8).await.author_name == "Pia", "{:?}", last(8).await);
    assert!(pia.page("/jobs/8/run").await.contains("Crank first"));
    let stop = last(8).await;
    // Not even a technician overrules it alone; a foreman's yes counts from then on, for one test.
    let test = [("test", "noise"), ("overrule_minutes", "5"), ("reason", "to hear where it knocks"), ("stage", "look")];
    assert_eq!(send(&odd, "/jobs/8/overrule", &test[1..]).await.status(), StatusCode::UNPROCESSABLE_ENTITY);
    assert!(
        odd.page("/jobs/8/look").await.contains("Overrule the stop for one test")
            && odd.page("/jobs/8/overrule").await.contains("name=\"test\"")
    );
    send(&odd, "/jobs/8/overrule", &test).await;
    let request = waiting().await.remove(0);
    assert_eq!((request.right, last(8).await.id), (Right::Overrule, stop.id));
    send(&ines, &format!("/jobs/8/requests/{}", request.id), &[("answer", "yes")]).await;
    let page = odd.page("/jobs/8/look").await;
    assert!(page.contains("Crank first") && page.contains("alone, until") && last(8).await.author_name == "Ines for Odd");
    let overruled = last(8).await;
    // What takes the finding back waits: nothing is written, and the engine stays stopped.
    let back = [("entry", stop.id.to_string()), ("reason", "wrong tap".to_owned()), ("stage", "look".to_owned())];
    let back: Vec<(&str, &str)> = back.iter().map(|(name, value)| (*name, value.as_str())).collect();
    assert_eq!(send(&pia, "/jobs/8/withdraw", &back).await.status(), StatusCode::SEE_OTHER);
    assert_eq!((last(8).await.id, waiting().await.len()), (overruled.id, 1));
    let page = pia.page("/jobs/8/look").await;
    assert!(page.contains("Waits for a foreman") && page.contains("Withdraw it") && !page.contains("Yes, save it"));
    let request = waiting().await.remove(0);
    assert_eq!((request.right, request.by_name.as_str()), (Right::LoosenStop, "Pia"));
    let answer = format!("/jobs/8/requests/{}", request.id);
    assert_eq!(send(&pia, &answer, &[("answer", "yes")]).await.status(), StatusCode::FORBIDDEN);
    assert_eq!(send(&ines, &answer.replace("jobs/8", "jobs/9"), &[("answer", "yes")]).await.status(), StatusCode::NOT_FOUND);
    assert_eq!((last(8).await.id, waiting().await.len()), (overruled.id, 1));
    // A technician has that right; the entry says for whom.
    send(&odd, &answer, &[("answer", "yes")]).await;
    let written = last(8).await;
    assert!(matches!(written.body, Body::Withdrawn { .. }) && written.author_name == "Odd for Pia", "{written:?}");
    assert!(waiting().await.is_empty() && odd.page("/jobs/8/trace").await.contains("Odd for Pia"));
    // Once more it finds nothing that waits, and writes nothing.
    send(&odd, &answer, &[("answer", "yes")]).await;
    assert_eq!(last(8).await.id, written.id);
    // The customer's money: a no writes nothing, and keeps none of the words.
    let yes = [("who", "Nell Quist"), ("how", "by phone"), ("stage", "open-up")];
    let before = last(9).await.id;
    send(&pia, "/jobs/9/agreed", &yes).await;
    assert!(ines.page("/").await.contains("Waits for you") && !odd.page("/").await.contains("Waits for you"));
    let request = waiting().await.remove(0);
    assert_eq!(request.right, Right::Approve);
    send(&ines, &format!("/jobs/9/requests/{}", request.id), &[("answer", "no")]).await;
    assert_eq!((last(9).await.id, waiting().await.len()), (before, 0));
    // Somebody else's words, and what is set apart, too; the own ones are one's own.
    let other = jobs::load(&db, &viewer, 9).await.unwrap();
    let theirs = other.live().find(|entry| matches!(entry.body, Body::Reading(_)) && entry.author_name != "Pia").unwrap().id.to_string();
    send(&pia, "/jobs/9/withdraw", &[("entry", &theirs), ("reason", "x"), ("stage", "run")]).await;
    assert_eq!(waiting().await.remove(0).right, Right::Correct);
    let own = [("circumstance", "short_trips"), ("told", "true"), ("stage", "intake")];
    send(&pia, "/jobs/9/circumstance", &own).await;
    let told = last(9).await;
    assert_eq!(told.author_name, "Pia");
    send(&pia, "/jobs/9/withdraw", &[("entry", &told.id.to_string()), ("reason", "x"), ("stage", "look")]).await;
    assert!(matches!(last(9).await.body, Body::Withdrawn { .. }) && last(9).await.author_name == "Pia");
    let pending = waiting().await.remove(0);
    send(&pia, &format!("/jobs/9/requests/{}", pending.id), &[("answer", "no")]).await;
    assert!(waiting().await.is_empty(), "who asked may take it back");
    // Closing: asked for by the one, signed in the name of the other.
    let closing = [("cause", "pump_worn"), ("known", "seen"), ("without_proof", "sold as it is"), ("source", "mended")];
    send(&pia, "/jobs/9/close", &closing).await;
    let request = waiting().await.remove(0);
    assert!(request.right == Right::Close && matches!(request.body, Body::Closed { .. }));
    assert!(!jobs::load(&db, &viewer, 9).await.unwrap().closed());
    let closed = send(&ines, &format!("/jobs/9/requests/{}", request.id), &[("answer", "yes")]).await;
    assert_eq!(location(closed.headers()), "/jobs/9/report");
    let job = jobs::load(&db, &viewer, 9).await.unwrap();
    assert!(job.closed() && job.closing().unwrap().author_name == "Ines for Pia" && waiting().await.is_empty());
    // Prices are not for everybody's eyes.
    let priced = async |who: &Person| who.page("/jobs/5/open-up").await.contains("an hour, proving included");
    assert!(priced(&odd).await && !priced(&pia).await);
    // On the practice bench nobody asks anybody.
    assert_eq!(pia.get("/practice").await.status(), StatusCode::OK);
}

#[tokio::test]
async fn people_come_by_invitation_and_are_signed_out_when_they_go() {
    let (base, db) = crate::support::start_with().await;
    let ines = Person::at(&base).entering_as("ines", "brass needle").await;
    let made = ines.post("/people", &[("shown_name", "Bo Lind"), ("role", "foreman")]).await.text().await.unwrap();
    let link = made.split("/join/").nth(1).unwrap().split('"').next().unwrap().to_owned();
    let join = format!("/join/{link}");
    let nobody = Person::at(&base);
    assert!(nobody.page(&join).await.contains("Welcome, Bo Lind"));
    let refused = nobody.post(&join, &[("sign_in", "ines"), ("password", PASSWORD)]).await;
    assert_eq!(refused.status(), StatusCode::UNPROCESSABLE_ENTITY);
    let text = refused.text().await.unwrap();
    assert!(text.contains("somebody has this name already") && !text.contains(PASSWORD));
    assert!(nobody.post(&join, &[("sign_in", "bo"), ("password", "bo lind 1")]).await.text().await.unwrap().contains("fewer than"));
    assert_eq!(nobody.post(&join, &[("sign_in", "Bo"), ("password", PASSWORD)]).await.status(), StatusCode::SEE_OTHER);
    // Used once, it opens nothing any more.
    assert_eq!(nobody.post(&join, &[("sign_in", "bo2"), ("password", PASSWORD)]).await.status(), StatusCode::NOT_FOUND);
    let bo = Person::at(&base).entering_as("bo", PASSWORD).await;
    assert!(bo.page("/me").await.contains("Your role in this shop: foreman"));
    assert_eq!(bo.get("/people").await.status(), StatusCode::FORBIDDEN);
    // Two browsers: one ends the other, and a new password ends all but its own.
    let second = Person::at(&base).entering_as("bo", PASSWORD).await;
    let third = Person::at(&base).entering_as("bo", PASSWORD).await;
    let page = bo.page("/me").await;
    let ends: Vec<String> = page.split("action=\"/me/sessions/").skip(1).map(|rest| rest.split('/').next().unwrap().to_owned()).collect();
    assert_eq!(ends.len(), 4, "the link's own session, and three that signed in");
    // The newest first.
    bo.post(&format!("/me/sessions/{}/end", ends[0]), &[]).await;
    assert_eq!(third.get("/me").await.status(), StatusCode::SEE_OTHER);
    let wrong = bo.post("/me/password", &[("old", "not it at all"), ("new", "lantern wedge harbour")]).await;
    assert!(wrong.text().await.unwrap().contains("not your password"));
    let right = bo.post("/me/password", &[("old", PASSWORD), ("new", "lantern wedge harbour")]).await;
    assert!(right.text().await.unwrap().contains("Every other browser is signed out"));
    assert_eq!(second.get("/me").await.status(), StatusCode::SEE_OTHER);
    assert_eq!(bo.get("/me").await.status(), StatusCode::OK);
    // A shop keeps an owner; somebody who is removed is out at once.
    let people = accounts::colleagues(&db, &crate::support::ines(&db).await).await.unwrap();
    let id = |name: &str| people.iter().find(|person| person.shown_name == name).unwrap().id;
    let last = ines.post(&format!("/people/{}", id("Ines")), &[("role", "technician")]).await;
    assert!(last.text().await.unwrap().contains("A shop needs an owner"));
    ines.post(&format!("/people/{}", id("Bo Lind")), &[("role", "owner")]).await;
    assert_eq!(bo.get("/people").await.status(), StatusCode::OK);
    bo.post(&format!("/people/{}", id("Ines")), &[("do", "remove")]).await;
    assert_eq!(ines.get("/").await.status(), StatusCode::SEE_OTHER);
    // An invitation that is taken back opens nothing, nor does one of another shop's making.
    let made = bo.post("/people", &[("shown_name", "Ida"), ("role", "reader")]).await.text().await.unwrap();
    let link = made.split("/join/").nth(1).unwrap().split('"').next().unwrap().to_owned();
    let back = made.split("/people/invitations/").nth(1).unwrap().split('"').next().unwrap().to_owned();
    bo.post(&format!("/people/invitations/{back}"), &[]).await;
    assert_eq!(nobody.get(&format!("/join/{link}")).await.status(), StatusCode::NOT_FOUND);
    // All of it stands in the audit, and in nobody else's.
    let audit = bo.page("/audit?of=shop").await;
    for said in [
        "Invited: Bo Lind, as foreman",
        "Joined the shop, as foreman",
        "Role of Bo Lind: foreman → owner",
        "Removed from the shop: Ines",
        "Invitation withdrawn: Ida",
    ] {
        assert!(audit.contains(said), "{said}");
    }
    assert!(!audit.contains(PASSWORD) && !audit.contains(&link));
    let narrowed = bo.page("/audit?q=forklift&job=9").await;
    assert!(!narrowed.contains("Removed from the shop") && bo.page("/audit?job=9").await.contains("FORK 5, job 9"));
    let file = bo.page("/audit/file.csv?of=shop&q=role").await;
    assert!(file.starts_with("when,who,job,plate,what\n") && file.lines().count() == 2, "{file}");
    let other = accounts::add_shop(&db, "Another shop").await.unwrap();
    accounts::add_user(&db, other, &NewUser::of(Role::Owner, "stranger", "Stranger", PASSWORD)).await.unwrap().unwrap();
    let stranger = Person::at(&base).entering_as("stranger", PASSWORD).await;
    for theirs in ["/audit", "/audit?job=9", "/audit/file.csv"] {
        let page = stranger.page(theirs).await;
        assert!(!page.contains("FORK 5") && !page.contains("Bo Lind"), "{theirs}");
    }
    stranger.post(&format!("/people/{}", id("Bo Lind")), &[("role", "reader")]).await;
    assert_eq!(bo.get("/people").await.status(), StatusCode::OK);
}

#[tokio::test]
async fn on_a_shared_tablet_people_change_by_a_pin_and_nowhere_else() {
    let (base, db) = crate::support::start_with().await;
    let ines = Person::at(&base).entering_as("ines", "brass needle").await;
    let pia = Person::at(&base).entering_as("pia", "brass needle").await;
    for (who, pin) in [(&ines, "2580"), (&pia, "90210")] {
        assert!(who.post("/me/pin", &[("old", "brass needle"), ("pin", "1234")]).await.text().await.unwrap().contains("digits in a row"));
        assert!(who.post("/me/pin", &[("old", "not mine"), ("pin", pin)]).await.text().await.unwrap().contains("not your password"));
        assert!(who.post("/me/pin", &[("old", "brass needle"), ("pin", pin)]).await.text().await.unwrap().contains("Saved."));
    }
    // Only the owner shares a browser.
    assert_eq!(pia.post("/tablets", &[("name", "bay two")]).await.status(), StatusCode::FORBIDDEN);
    let shared = ines.post("/tablets", &[("name", "bay two")]).await;
    let cookies: Vec<String> = shared.headers().get_all("set-cookie").iter().map(|one| one.to_str().unwrap().to_owned()).collect();
    let cookie = cookies.iter().find_map(|one| one.strip_prefix("vd_tablet=")).unwrap();
    assert!(cookie.contains("HttpOnly"));
    let tablet = format!("vd_tablet={}", cookie.split(';').next().unwrap());
    let bay = Person { cookie: tablet.clone(), ..Person::at(&base) };
    let page = bay.page("/tablet?back=/jobs/9/run").await;
    assert!(page.contains(">Ines<") && page.contains(">Pia<") && !page.contains(">Odd<"), "who has a PIN, and nobody else");
    let people = accounts::colleagues(&db, &crate::support::ines(&db).await).await.unwrap();
    let id = |name: &str| people.iter().find(|person| person.shown_name == name).unwrap().id;
    let enter = async |browser: &Person, who: Uuid, pin: &str| {
        browser.post(&format!("/tablet/{who}"), &[("pin", pin), ("back", "/jobs/9/run")]).await
    };
    let signed_in = |answer: &reqwest::Response| {
        let session = answer.headers().get("set-cookie").unwrap().to_str().unwrap().split(';').next().unwrap().to_owned();
        Person { cookie: format!("{session}; {tablet}"), ..Person::at(&base) }
    };
    // A browser that is not shared opens nothing with it, nor does somebody without a PIN.
    assert_eq!(enter(&Person::at(&base), id("Pia"), "90210").await.status(), StatusCode::NOT_FOUND);
    assert_eq!(enter(&bay, id("Odd"), "").await.status(), StatusCode::UNPROCESSABLE_ENTITY);
    let answer = enter(&bay, id("Pia"), "90210").await;
    assert_eq!(location(answer.headers()), "/jobs/9/run");
    let first = signed_in(&answer);
    assert!(first.page("/jobs/9/run").await.contains("aria-label=\"Change person\""));
    // The next one takes the tablet: who was there before is out. An owner has a foreman's rights there.
    let answer = enter(&first, id("Ines"), "2580").await;
    let second = signed_in(&answer);
    assert_eq!(first.get("/me").await.status(), StatusCode::SEE_OTHER);
    assert_eq!(second.get("/people").await.status(), StatusCode::FORBIDDEN);
    assert!(second.page("/me").await.contains("Your role in this shop: foreman"));
    assert_eq!(ines.get("/people").await.status(), StatusCode::OK, "signed in by password it is the owner");
    // Guessing is slowed down, and the right one waits too.
    let mut tries = 0;
    while !enter(&bay, id("Pia"), "7777").await.text().await.unwrap().contains("Too many tries") {
        tries += 1;
        assert!(tries < 12);
    }
    assert!(enter(&bay, id("Pia"), "90210").await.text().await.unwrap().contains("Too many tries"));
    // A lost tablet is taken out: nobody is signed in on it any more, and it opens nothing.
    let out = ines.page("/tablets").await.split("/tablets/").nth(1).unwrap().split('/').next().unwrap().to_owned();
    ines.post(&format!("/tablets/{out}/out"), &[]).await;
    assert_eq!(second.get("/me").await.status(), StatusCode::SEE_OTHER);
    assert_eq!(bay.get("/tablet").await.status(), StatusCode::NOT_FOUND);
    assert!(ines.page("/audit?of=shop").await.contains("Shared no more: bay two"));
}

#[tokio::test]
async fn an_empty_installation_is_set_up_in_the_browser() {
    let (base, db, code) = crate::support::empty().await;
    let nobody = Person::at(&base);
    assert!(nobody.page("/sign-in").await.contains("Set up the shop"));
    let form = |code: &str| {
        [("code", code), ("shop", "Low Quay Motors"), ("shown_name", "Ada"), ("sign_in", "ada"), ("password", PASSWORD)]
            .map(|(name, value)| (name.to_owned(), value.to_owned()))
    };
    let post = async |form: &[(String, String)]| {
        let form: Vec<(&str, &str)> = form.iter().map(|(name, value)| (name.as_str(), value.as_str())).collect();
        nobody.post("/first-day", &form).await
    };
    let wrong = post(&form("0000-0000-0000")).await;
    assert_eq!(wrong.status(), StatusCode::UNPROCESSABLE_ENTITY);
    let kept = wrong.text().await.unwrap();
    assert!(kept.contains("not the one that the server printed") && kept.contains("Low Quay Motors") && !kept.contains(PASSWORD));
    assert!(accounts::nobody_yet(&db).await.unwrap());

    let browser = Browser::start().await;
    let me = screen::Person { driver: browser.driver.clone() };
    let mut acts = 0;
    me.driver.goto(format!("{base}/first-day")).await.unwrap();
    for (id, text) in [
        ("first-code", code.as_str()),
        ("first-shop", "Low Quay Motors"),
        ("first-shown_name", "Ada"),
        ("first-sign_in", "ada"),
        ("first-password", PASSWORD),
    ] {
        me.fill(id, text).await;
        acts += 1;
    }
    let mut press = async |text: &str| {
        me.press(text).await;
        acts += 1;
    };
    press("Set up the shop").await;
    me.sees("Six steps").await;
    press("Set them").await;
    me.sees("Time zone").await;
    let fills: &[&[(&str, &str)]] = &[
        &[
            ("shop-zone", "Europe/Lisbon"),
            ("shop-opens", "08:00"),
            ("shop-closes", "17:00"),
            ("shop-labour_rate", "80"),
            ("shop-money", "EUR"),
        ],
        &[("gauge-name", "Red case"), ("gauge-full_scale", "1000"), ("gauge-class_percent", "1.6"), ("gauge-graduation", "20")],
        &[
            ("engine-name", "Yard 2.0"),
            ("engine-displacement_l", "2.0"),
            ("engine-cylinders", "4"),
            ("engine-idle_rpm", "800"),
            ("engine-oil_grade", "5W-30"),
        ],
    ];
    let fill = async |fields: &[(&str, &str)]| {
        for (id, text) in fields {
            let field = me.driver.find(By::Id(*id)).await.unwrap_or_else(|_| panic!("no field {id}"));
            if field.tag_name().await.unwrap() == "select" {
                field.send_keys(*text).await.unwrap();
            } else {
                me.fill(id, text).await;
            }
        }
        fields.len()
    };
    let mut typed_fields = fill(fills[0]).await;
    // An answer that comes after the address was changed would take its place: it is waited for.
    let shown = async || me.driver.find(By::Tag("main")).await.unwrap();
    let answered = async |page: WebElement| until("the answer is there", || async { page.tag_name().await.is_err() }).await;
    let sent = shown().await;
    press("Save settings").await;
    answered(sent).await;
    me.driver.goto(format!("{base}/")).await.unwrap();
    press("Go on").await;
    press("Add a gauge").await;
    typed_fields += fill(fills[1]).await;
    let sent = shown().await;
    press("Add gauge").await;
    answered(sent).await;
    me.driver.goto(format!("{base}/first-day/path")).await.unwrap();
    press("Type it in").await;
    typed_fields += fill(fills[2]).await;
    let sent = shown().await;
    press("Add this engine").await;
    answered(sent).await;
    me.driver.goto(format!("{base}/first-day/path")).await.unwrap();
    press("Invite somebody").await;
    typed_fields += fill(&[("invite-shown_name", "Bo")]).await;
    press("Make the link").await;
    me.sees("Bo is invited").await;
    me.driver.goto(format!("{base}/first-day/path")).await.unwrap();
    press("Practise").await;
    me.sees("Begin the first scene").await;
    // Four times the board or the path was opened by its address, which is a tap each.
    let acts = acts + typed_fields + 4;
    assert!(acts < 40, "{acts} acts");
    let owner = Person::at(&base).entering_as("ada", PASSWORD).await;
    assert!(owner.page("/").await.contains("4 of 6 steps are done"));
    assert!(owner.page("/settings").await.contains("href=\"/first-day/path\""));
    assert!(browser.axe().await.is_empty());
    owner.post("/first-day/over", &[]).await;
    assert!(!owner.page("/").await.contains("steps are done"));
    // The code is gone with the first shop.
    assert_eq!(post(&form(&code)).await.status(), StatusCode::UNPROCESSABLE_ENTITY);
    assert_eq!(location(nobody.get("/first-day").await.headers()), "/sign-in?back=/first-day/path");
    browser.quit().await;
}

/// The code that a phone shows for a secret in base 32 at a step of half a minute (RFC 6238), made here once more.
fn phone(secret: &str, step: u64) -> String {
    use hmac::{Hmac, KeyInit, Mac};
    let bits: String = secret
        .bytes()
        .map(|letter| format!("{:05b}", b"ABCDEFGHIJKLMNOPQRSTUVWXYZ234567".iter().position(|one| *one == letter).unwrap()))
        .collect();
    let bytes: Vec<u8> =
        bits.as_bytes().chunks_exact(8).map(|bits| u8::from_str_radix(std::str::from_utf8(bits).unwrap(), 2).unwrap()).collect();
    let mut mac = Hmac::<sha1::Sha1>::new_from_slice(&bytes).unwrap();
    mac.update(&step.to_be_bytes());
    let hash = mac.finalize().into_bytes();
    let at = usize::from(hash.last().unwrap() & 15);
    let four = u32::from_be_bytes(hash.get(at..at + 4).unwrap().try_into().unwrap()) & 0x7fff_ffff;
    format!("{:06}", four % 1_000_000)
}

#[tokio::test]
async fn a_second_factor_is_asked_for_after_the_password_and_each_code_counts_once() {
    let (base, db) = crate::support::start_with().await;
    let ines = Person::at(&base).entering_as("ines", "brass needle").await;
    let set_up = ines.post("/me/second-factor", &[]).await.text().await.unwrap();
    let secret = set_up.split("<b class=\"break-all\">").nth(1).unwrap().split('<').next().unwrap().to_owned();
    let step = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).unwrap().as_secs() / 30;
    let wrong = ines.post("/me/second-factor/confirm", &[("code", "12345")]).await;
    assert_eq!(wrong.status(), StatusCode::UNPROCESSABLE_ENTITY);
    assert!(wrong.text().await.unwrap().contains(&secret), "the same secret is shown again");
    // Until a code of it was right, the password alone lets in.
    let elsewhere = Person::at(&base).entering_as("ines", "brass needle").await;
    elsewhere.page("/").await;
    let on = ines.post("/me/second-factor/confirm", &[("code", &phone(&secret, step))]).await.text().await.unwrap();
    let codes: Vec<String> = on.split("<li><b>").skip(1).map(|rest| rest.split('<').next().unwrap().to_owned()).collect();
    assert_eq!(codes.len(), accounts::RECOVERY_CODES);
    assert_eq!(elsewhere.get("/").await.status(), StatusCode::SEE_OTHER, "every other browser is signed out");
    ines.page("/me").await;
    // The password opens nothing by itself.
    let half = Person::at(&base).entering_as("ines", "brass needle").await;
    for path in ["/", "/jobs/9/run", "/me", "/people"] {
        assert_eq!(half.get(path).await.status(), StatusCode::SEE_OTHER, "{path}");
    }
    assert!(
        half.post("/people", &[("shown_name", "X"), ("role", "owner")]).await.headers()["location"]
            .to_str()
            .unwrap()
            .starts_with("/sign-in")
    );
    let next = phone(&secret, step + 1);
    for wrong in ["000000", "", &phone(&secret, step)] {
        assert_eq!(half.post("/sign-in/code", &[("code", wrong)]).await.status(), StatusCode::UNPROCESSABLE_ENTITY, "{wrong}");
    }
    let passed = half.post("/sign-in/code", &[("code", &next), ("back", "/jobs/9/run")]).await;
    assert_eq!((passed.status(), location(passed.headers())), (StatusCode::SEE_OTHER, "/jobs/9/run"));
    half.page("/jobs/9/run").await;
    // The same code once more, at another door: used. A recovery code is let in once, with or without its dashes.
    let third = Person::at(&base).entering_as("ines", "brass needle").await;
    assert_eq!(third.post("/sign-in/code", &[("code", &next)]).await.status(), StatusCode::UNPROCESSABLE_ENTITY);
    assert_eq!(third.post("/sign-in/code", &[("code", &codes[0].replace('-', " ").to_uppercase())]).await.status(), StatusCode::SEE_OTHER);
    assert!(third.page("/me").await.contains("Recovery codes left: 9."));
    // Guessing is slowed down, for who holds the password too.
    assert!(third.post("/me/second-factor/remove", &[("code", &codes[1])]).await.text().await.unwrap().contains("Too many tries"));
    assert!(third.page("/people").await.contains("with a second factor"));
    assert!(accounts::take_second_factor(&db, "ines").await.unwrap());
    Person::at(&base).entering_as("ines", "brass needle").await.page("/").await;
    assert!(third.page("/audit").await.contains("Has a second factor from now on"));
}

/// Ines reads the help. Meanwhile Pia asks for a yes, and a customer asks and approves.
#[tokio::test]
async fn an_open_page_says_what_happens_elsewhere_once() {
    let (base, db) = crate::support::start_with().await;
    let viewer = crate::support::ines(&db).await;
    let browser = Browser::start().await;
    let me = screen::Person { driver: browser.driver.clone() };
    me.sign_in(&base).await;
    me.driver.goto(format!("{base}/help")).await.unwrap();
    // A tab looks every quarter of a minute, and when it is shown again.
    let looks = || async { me.driver.execute("document.dispatchEvent(new Event('visibilitychange'))", Vec::new()).await.unwrap() };
    until("the page has looked once", || async {
        me.driver
            .execute("return sessionStorage.vdHeard || ''", Vec::new())
            .await
            .unwrap()
            .json()
            .as_str()
            .is_some_and(|text| !text.is_empty())
    })
    .await;
    let pia = Person::at(&base).entering_as("pia", "brass needle").await;
    let metal = jobs::write(&db, &viewer, 7, &Write::of(Body::evidence("oil_look", "metal", Phase::Before), "m")).await.unwrap();
    let Written::Stands(metal) = metal else { panic!("{metal:?}") };
    let clean = [("check", "oil_look"), ("outcome", "clean"), ("stage", "look"), ("key", "k"), ("supersedes", &metal.to_string())];
    pia.post("/jobs/7/evidence", &clean).await;
    let proposal = jobs::Proposal { says: vec!["Sump off.".to_owned()], ..jobs::Proposal::default() };
    let token = jobs::make_link(&db, &viewer, 9, &proposal, 3).await.unwrap();
    let customer = Person::at(&base);
    customer.post(&format!("/yes/{token}"), &[("name", "A"), ("say", "question"), ("words", "How long does it take?")]).await;
    customer.post(&format!("/yes/{token}"), &[("name", "A"), ("say", "yes")]).await;
    for text in ["a foreman is asked for a yes", "the customer asks a question", "the customer has answered"] {
        until(text, || async {
            looks().await;
            me.text().await.contains(text)
        })
        .await;
    }
    // What was said once is not said again by the next page, and Pia hears of no foreman.
    me.driver.goto(format!("{base}/gauges")).await.unwrap();
    looks().await;
    tokio::time::sleep(std::time::Duration::from_millis(500)).await;
    assert!(!me.text().await.contains("has answered"));
    let since = "2020-01-01T00:00:00Z";
    let heard = pia.page(&format!("/notices?since={since}")).await;
    assert!(heard.contains("has answered") && !heard.contains("foreman"), "{heard}");
}
