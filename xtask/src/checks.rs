//! Formatting, lints, drift of generated files, tests.

use crate::{Outcome, output, root, run, setup, tests};

/// Generated from the program: command and file.
const GENERATED: [(&str, &str); 2] =
    [("openapi", "docs/openapi.json"), ("schema", "docs/vehicle.schema.json")];
const TYPES: &str = "web/src/api/generated.d.ts";

/// Everything, cheapest first.
pub fn all() -> Outcome {
    run(".", "cargo", &["fmt", "--all", "--check"])?;
    setup::all()?;
    run("web", "npm", &["run", "--silent", "lint"])?;
    run("web", "npm", &["run", "--silent", "types"])?;
    let lints = ["clippy", "--quiet", "--workspace", "--all-targets", "--", "--deny", "warnings"];
    run(".", "cargo", &lints)?;
    // With the features that the tests are built with: nothing is built twice.
    run(".", "cargo", &["build", "--workspace", "--bins", "--tests"])?;
    drift()?;
    tests::all()
}

fn generated(command: &str) -> Result<String, String> {
    output("target/debug/chalkeus", &[command])
}

fn types() -> Result<String, String> {
    let to = std::env::temp_dir().join(format!("chalkeus-types-{}.d.ts", std::process::id()));
    let to_text = to.to_string_lossy().into_owned();
    let bin = "web/node_modules/.bin/openapi-typescript";
    output(bin, &["docs/openapi.json", "-o", &to_text])?;
    let text = std::fs::read_to_string(&to).map_err(|e| e.to_string())?;
    let _ = std::fs::remove_file(to);
    Ok(text)
}

fn same(file: &str, now: &str) -> Outcome {
    let kept = std::fs::read_to_string(root().join(file)).map_err(|e| format!("{file}: {e}"))?;
    if kept == now {
        Ok(())
    } else {
        Err(format!("{file} is out of date; run `cargo xtask generate` and commit it"))
    }
}

fn drift() -> Outcome {
    for (command, file) in GENERATED {
        same(file, &generated(command)?)?;
    }
    same(TYPES, &types()?)
}

/// Writes the generated files anew.
pub fn generate() -> Outcome {
    setup::front_end()?;
    let page =
        ["CHALKEUS_WRITE=1", "cargo", "test", "-q", "--workspace", "--test", "all", "situations::"];
    run(".", "env", &page)?;
    let page =
        ["CHALKEUS_WRITE=1", "cargo", "test", "-q", "--workspace", "--test", "all", "everyday::"];
    run(".", "env", &page)?;
    run(".", "cargo", &["build", "--package", "chalkeus"])?;
    for (command, file) in GENERATED {
        std::fs::write(root().join(file), generated(command)?).map_err(|e| e.to_string())?;
    }
    std::fs::write(root().join(TYPES), types()?).map_err(|e| e.to_string())
}
