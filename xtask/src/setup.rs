//! What a fresh machine lacks.

use crate::{Outcome, root, run};
use std::process::Command;

/// Debian packages the tests need, by a program each brings.
const PACKAGES: [(&str, &str); 3] =
    [("chromium", "chromium"), ("chromedriver", "chromium-driver"), ("ngspice", "ngspice")];

fn missing(program: &str) -> bool {
    let found = Command::new("sh").args(["-c", &format!("command -v {program}")]).output();
    !found.is_ok_and(|o| o.status.success())
}

/// Debian packages, then the front end.
pub fn all() -> Outcome {
    packages()?;
    front_end()
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
