//! Copies of the database and of the captures beside it, also while a program uses them.

use crate::error::Said;
use crate::{StoreError, captures, open};
use rusqlite::Connection;
use rusqlite::backup::Backup;
use std::fs;
use std::path::Path;
use std::time::Duration;

/// Pages copied at once; whoever writes meanwhile waits no longer than that takes.
const PAGES: i32 = 512;

/// Copies the database of a directory, through SQLite's own interface, and its captures into a new
/// directory: the copy is whole whatever is written meanwhile, and can be worked on as it is.
///
/// # Errors
/// [`StoreError::Unusable`] where there is no database, or where the copy exists already.
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
    // A copy that was broken off does not look like one that is whole.
    let mut begun = to.as_os_str().to_owned();
    begun.push(".part");
    let begun = std::path::PathBuf::from(begun);
    let _ = fs::remove_dir_all(&begun);
    fs::create_dir_all(&begun).map_err(|e| StoreError::file(&begun, e))?;
    database(&path, &begun.join(open::FILE))?;
    // After the database: an entry of a capture comes when its file is whole, so each that the copy
    // speaks of is there.
    captures::copy(directory, &begun)?;
    fs::rename(&begun, to).map_err(|e| StoreError::file(to, e))
}

fn database(path: &Path, to: &Path) -> Result<(), StoreError> {
    let from = open::reading(path)?;
    let mut copy = Connection::open(to).said(to)?;
    let run = |copy: &mut Connection| {
        let work = Backup::new(&from, copy)?;
        work.run_to_completion(PAGES, Duration::ZERO, None)
    };
    run(&mut copy).said(to)?;
    // The copy is one file, without a log beside it.
    copy.pragma_update(None, "journal_mode", "DELETE").said(to)
}
