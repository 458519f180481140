//! The ledger as rows of a table.

use crate::view::View;
use diagnosis::verdict::Verdict;

/// A head and a row for each entry of the ledger.
pub fn rows(view: &View) -> Vec<Vec<String>> {
    let head = ["number", "at", "kind", "title", "detail", "verdict", "expected", "doubted"];
    let mut out = vec![head.map(str::to_owned).to_vec()];
    for r in &view.ledger {
        let verdict = r.judged.as_ref().map_or("", |j| match j.verdict {
            Verdict::Good => "good",
            Verdict::Bad => "bad",
            Verdict::CannotTell => "cannot tell",
        });
        let expected = r.judged.as_ref().map(|j| j.expected.clone()).unwrap_or_default();
        let doubted = if r.doubted { "yes" } else { "no" };
        out.push(vec![
            r.number.to_string(),
            r.at.clone(),
            r.kind.clone(),
            r.title.clone(),
            r.detail.clone(),
            verdict.to_owned(),
            expected,
            doubted.to_owned(),
        ]);
    }
    out
}
