//! Copies of the database, also while a program uses it.

use crate::error::Said;
use crate::{StoreError, open};
use rusqlite::Connection;
use rusqlite::backup::Backup;
use std::path::Path;
use std::time::Duration;

/// Pages copied at once; whoever writes meanwhile waits no longer than that takes.
const PAGES: i32 = 512;

/// Copies the database of a directory into a new file, through SQLite's own interface: the copy is
/// whole whatever is written meanwhile.
///
/// # Errors
/// [`StoreError::Unusable`] where there is none, or where the copy exists already.
pub fn backup(directory: &Path, to: &Path) -> Result<(), StoreError> {
    let path = directory.join(open::FILE);
    let unusable = |path: &Path, why: &str| StoreError::Unusable {
        path: path.to_owned(),
        why: why.to_owned(),
    };
    if !path.is_file() {
        return Err(unusable(&path, "there is none"));
    }
    if to.exists() {
        return Err(unusable(to, "it exists already, and a copy overwrites nothing"));
    }
    let from = open::reading(&path)?;
    // A copy that was broken off does not look like one that is whole.
    let mut begun = to.as_os_str().to_owned();
    begun.push(".part");
    let begun = std::path::PathBuf::from(begun);
    let _ = std::fs::remove_file(&begun);
    {
        let mut copy = Connection::open(&begun).said(&begun)?;
        let run = |copy: &mut Connection| {
            let work = Backup::new(&from, copy)?;
            work.run_to_completion(PAGES, Duration::ZERO, None)
        };
        run(&mut copy).said(&begun)?;
        // The copy is one file, without a log beside it.
        copy.pragma_update(None, "journal_mode", "DELETE").said(&begun)?;
    }
    std::fs::rename(&begun, to).map_err(|e| unusable(to, &e.to_string()))
}
