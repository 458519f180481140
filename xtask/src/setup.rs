//! What a fresh machine lacks.

use crate::{Outcome, root, run};
use std::process::Command;

/// Debian packages the tests need, by a program each brings.
const PACKAGES: [(&str, &str); 4] = [
    ("chromium", "chromium"),
    ("chromedriver", "chromium-driver"),
    ("ngspice", "ngspice"),
    ("tshark", "tshark"),
];

fn missing(program: &str) -> bool {
    let found = Command::new("sh").args(["-c", &format!("command -v {program}")]).output();
    !found.is_ok_and(|o| o.status.success())
}

/// Debian packages, the independent clients and servers of the tests, then the front end.
pub fn all() -> Outcome {
    packages()?;
    python()?;
    front_end()
}

/// A Python environment with the DoIP and UDS programs that the link is tried against.
fn python() -> Outcome {
    let wanted = "crates/app/tests/independent/requirements.txt";
    let wanted_text =
        std::fs::read_to_string(root().join(wanted)).map_err(|e| format!("{wanted}: {e}"))?;
    let ready = root().join("target/python/ready.txt");
    if std::fs::read_to_string(&ready).is_ok_and(|had| had == wanted_text) {
        return Ok(());
    }
    run(".", "python3", &["-m", "venv", "target/python"])?;
    let pip = root().join("target/python/bin/pip");
    run(
        ".",
        &pip.to_string_lossy(),
        &["install", "--quiet", "--disable-pip-version-check", "-r", wanted],
    )?;
    std::fs::write(&ready, wanted_text).map_err(|e| e.to_string())
}

/// Debian packages.
pub fn packages() -> Outcome {
    let lacking: Vec<&str> =
        PACKAGES.iter().filter(|(p, _)| missing(p)).map(|(_, package)| *package).collect();
    if !lacking.is_empty() {
        run(".", "apt-get", &["update", "-qq"])?;
        let mut arguments = vec!["install", "-y", "-qq", "--no-install-recommends"];
        arguments.extend(&lacking);
        run(".", "apt-get", &arguments)?;
    }
    Ok(())
}

/// Packages of the front end as the lock file pins them, and its build.
pub fn front_end() -> Outcome {
    let web = root().join("web");
    let stamp = |p: &str| web.join(p).metadata().and_then(|m| m.modified()).ok();
    let installed = stamp("node_modules/.package-lock.json");
    if installed.is_none() || installed < stamp("package-lock.json") {
        // Not `npm ci`: it refuses a lock file that lacks packages for other platforms, which a
        // registry may not serve. Versions still come from the lock file, which is not rewritten.
        run("web", "npm", &["install", "--no-save", "--no-audit", "--no-fund"])?;
    }
    run("web", "npm", &["run", "--silent", "build"])
}
