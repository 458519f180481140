//! Solved states on the disk, by vehicle and version of the program: a second start does not solve
//! them again. Whatever is wrong with such a file, it is solved anew.

use super::lock;
use diagnosis::{Evidence, Model};
use std::fs::File;
use std::hash::{DefaultHasher, Hash, Hasher};
use std::io::Read;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};
use vehicle::OperatingState;

/// What the directory of a version is named with.
const OURS: &str = "chalkeus-solved-";

/// The directory of solved states of this version of the program.
#[derive(Debug, Clone)]
pub(super) struct Solved {
    directory: PathBuf,
    /// What was read last: megabytes that come and go would leave holes in the memory.
    buffer: Arc<Mutex<Vec<u8>>>,
}

fn name(of: impl Hash) -> String {
    let mut name = DefaultHasher::new();
    of.hash(&mut name);
    format!("{:016x}", name.finish())
}

/// Tells one build of the program from another.
fn version() -> String {
    let exe = std::env::current_exe().and_then(|p| p.metadata());
    let built = exe.map(|m| (m.len(), m.modified().ok()));
    name((env!("CARGO_PKG_VERSION"), built.ok()))
}

impl Solved {
    /// In a directory; what other versions left there is removed, and nothing else: whoever names the
    /// directory may keep other things in it.
    pub(super) fn of(all: &Path) -> Self {
        let own = all.join(format!("{OURS}{}", version()));
        for other in std::fs::read_dir(all).into_iter().flatten().flatten() {
            let is_ours = other.file_name().to_string_lossy().starts_with(OURS);
            if is_ours && other.path() != own {
                // It only takes room.
                let _ = std::fs::remove_dir_all(other.path());
            }
        }
        Self { directory: own, buffer: Arc::default() }
    }

    fn path(&self, vehicle: &str, state: &OperatingState) -> PathBuf {
        self.directory.join(vehicle).join(format!("{}.bin", name(state)))
    }

    fn path_of(&self, vehicle: &str, complaint: &Evidence) -> PathBuf {
        let what = serde_json::to_string(complaint).unwrap_or_default();
        self.directory.join(vehicle).join(format!("{}.weights", name(what)))
    }

    /// Takes over all complaints that were weighed before.
    pub(super) fn restore(&self, vehicle: &str, model: &Model) {
        for complaint in diagnosis::ledger::complaints(model) {
            let path = self.path_of(vehicle, &complaint);
            let Ok(bytes) = std::fs::read(&path) else { continue };
            if !model.restore_weights(&complaint, &bytes) {
                let _ = std::fs::remove_file(&path);
            }
        }
    }

    /// Reads a state that was solved before, for [`Model::with_attic`].
    pub(super) fn fetch(&self, vehicle: &str, state: &OperatingState, read: &mut dyn FnMut(&[u8])) {
        let Ok(mut file) = File::open(self.path(vehicle, state)) else { return };
        let mut buffer = lock(&self.buffer);
        buffer.clear();
        if file.read_to_end(&mut buffer).is_ok() {
            read(&buffer);
        }
    }

    /// Keeps a state that is solved.
    pub(super) fn keep(&self, vehicle: &str, model: &Model, state: &OperatingState) {
        let path = self.path(vehicle, state);
        let kept = path.metadata().map_or(0, |m| m.len());
        // The same state solved again is the same.
        if let Some(bytes) = model.saved(state).filter(|b| b.len() as u64 != kept) {
            self.write(vehicle, &path, &bytes);
        }
    }

    /// Weighs complaints, and keeps that, as long as there is time; whether all of them are.
    pub(super) fn weigh(&self, vehicle: &str, model: &Model, time: impl Fn() -> bool) -> bool {
        let all = diagnosis::ledger::complaints(model);
        for (k, complaint) in all.iter().enumerate() {
            let path = self.path_of(vehicle, complaint);
            let is_kept = path.exists() && self.path(vehicle, &complaint.state).exists();
            if is_kept || !complaint.fits(model) {
                continue;
            }
            // In pieces, so that nobody waits for one of them to be done.
            if !model.solve_while(&complaint.state, false, &time) || !time() {
                return false;
            }
            if complaint.likelihood(model).is_ok()
                && let Some(bytes) = model.saved_weights(complaint)
            {
                self.write(vehicle, &path, &bytes);
            }
            if all.get(k + 1).is_none_or(|next| next.state != complaint.state) {
                // Found again on the disk when it is driven; the room is for what jobs need now.
                self.keep(vehicle, model, &complaint.state);
                model.forget(&complaint.state);
            }
        }
        true
    }

    fn write(&self, vehicle: &str, path: &Path, bytes: &[u8]) {
        let begun = path.with_extension(format!("{}.part", std::process::id()));
        let kept = std::fs::create_dir_all(self.directory.join(vehicle))
            .and_then(|()| std::fs::write(&begun, bytes))
            .and_then(|()| std::fs::rename(&begun, path));
        if let Err(e) = kept {
            tracing::warn!("{} was not kept: {e}; it will be solved again", path.display());
        }
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;

    #[test]
    fn what_other_versions_left_goes_and_what_is_not_ours_stays() {
        let all = tempfile::tempdir().unwrap();
        let old = all.path().join("chalkeus-solved-0123456789abcdef");
        let foreign = all.path().join("photographs");
        for directory in [&old, &foreign] {
            std::fs::create_dir(directory).unwrap();
            std::fs::write(directory.join("file"), "x").unwrap();
        }
        Solved::of(all.path());
        assert!(!old.exists());
        assert!(foreign.join("file").exists());
    }
}
