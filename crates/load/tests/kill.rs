//! A few kills of server and database in mid-write, as `cargo xtask kill` does hundreds.
use std::process::Command;

#[test]
fn nothing_acknowledged_is_lost_or_doubled_by_kills() {
    let driver = env!("CARGO_BIN_EXE_velvet-dial-load");
    // The server's program is built into the same folder, as every binary of the workspace is before its tests run.
    let server = std::path::Path::new(driver).with_file_name("velvet-dial");
    assert!(server.exists(), "{}: run the tests of the whole workspace", server.display());
    let done = Command::new(driver).arg("kill").arg("--server").arg(server).args(["--times", "6", "--people", "4"]).output().unwrap();
    let said = format!("{}{}", String::from_utf8_lossy(&done.stdout), String::from_utf8_lossy(&done.stderr));
    assert!(done.status.success() && said.contains("0 lost, 0 doubled; numbered without gaps: true"), "{said}");
    let acknowledged = said.lines().last().unwrap_or_default().split(" acknowledged").next().unwrap_or_default();
    let many: u32 = acknowledged.rsplit(' ').next().unwrap_or_default().parse().unwrap();
    assert!(many > 10, "so few were written that nothing is shown by it: {said}");
}
