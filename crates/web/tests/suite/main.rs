//! Every test of the web in one program, so that it is linked once and its tests share one database server.
#![expect(clippy::unwrap_used, reason = "a test stops where it cannot go on")]
mod access;
mod acts;
mod bench_work;
mod compare;
mod hands;
mod holds;
mod house;
mod http;
mod live;
mod long;
mod look;
mod next_step;
mod open_up;
mod pages;
mod paper;
mod practice;
mod recheck;
mod refusals;
mod rig;
mod shots;
mod support;
mod trace;
mod two_servers;
mod uploads;
mod walk;
mod words;
