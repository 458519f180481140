//! Vehicle files and the models made of them.

use super::error::ShopError;
use super::lock;
use super::solved::Solved;
use diagnosis::{Cache, Model};
use std::collections::{BTreeSet, HashMap};
use std::hash::{DefaultHasher, Hash, Hasher};
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};
use std::time::SystemTime;
use vehicle::Vehicle;

/// Models kept beside those somebody works with.
const KEPT: usize = 3;

/// A vehicle file as read, and when it was written.
type Read = (Option<SystemTime>, Arc<Vehicle>);

/// The directory of vehicle files.
#[derive(Debug)]
pub struct Vehicles {
    directory: PathBuf,
    files: Mutex<HashMap<String, Read>>,
    models: Mutex<Vec<Slot>>,
    /// What was solved, of all models together.
    cache: Cache,
    pub(super) solved: Solved,
}

/// A model with the name of its vehicle and equipment, once it is made.
type Made = Arc<Mutex<Option<(Arc<Model>, String)>>>;

/// A model by vehicle file and the equipment left out; the latest used comes last.
#[derive(Debug)]
struct Slot {
    vehicle: String,
    missing: BTreeSet<String>,
    /// Filled by whoever comes first; the others wait for that one only.
    made: Made,
}

impl Vehicles {
    pub(super) fn of(directory: &Path, cache: Cache, solved: &Path) -> Result<Self, ShopError> {
        if !directory.is_dir() {
            return Err(ShopError::NoDirectory(directory.to_owned()));
        }
        Ok(Self {
            directory: directory.to_owned(),
            files: Mutex::default(),
            models: Mutex::default(),
            cache,
            solved: Solved::of(solved),
        })
    }

    /// Ids of the vehicle files.
    pub fn ids(&self) -> Vec<String> {
        let files = std::fs::read_dir(&self.directory).into_iter().flatten().flatten();
        let mut ids: Vec<String> = files
            .map(|f| f.path())
            .filter(|p| p.extension().is_some_and(|e| e == "json"))
            .filter_map(|p| p.file_stem().map(|s| s.to_string_lossy().into_owned()))
            .collect();
        ids.sort();
        ids
    }

    /// A vehicle file as it is, with all equipment; read once as long as it is not written anew.
    pub fn file(&self, id: &str) -> Result<Arc<Vehicle>, ShopError> {
        if !self.ids().iter().any(|known| known == id) {
            return Err(ShopError::NoVehicle(id.to_owned()));
        }
        let path = self.directory.join(format!("{id}.json"));
        let written = path.metadata().and_then(|m| m.modified()).ok();
        if let Some((at, file)) = lock(&self.files).get(id)
            && *at == written
        {
            return Ok(Arc::clone(file));
        }
        let unusable = |why: String| ShopError::VehicleFile { path: path.clone(), why };
        let text = std::fs::read_to_string(&path).map_err(|e| unusable(e.to_string()))?;
        let file = Vehicle::from_json(&text).map_err(|e| unusable(e.to_string()))?;
        let file = Arc::new(file);
        lock(&self.files).insert(id.to_owned(), (written, Arc::clone(&file)));
        Ok(file)
    }

    /// Refuses equipment that a vehicle file does not know.
    pub fn knows(&self, id: &str, equipment: &BTreeSet<String>) -> Result<(), ShopError> {
        let file = self.file(id)?;
        let other = equipment.iter().find(|m| file.options.iter().all(|o| o.id != **m));
        other.map_or(Ok(()), |o| Err(ShopError::NoEquipment(o.clone())))
    }

    /// The model of a vehicle without some equipment, with a name for the two; compiled once as long
    /// as it is kept.
    pub fn model(
        &self,
        id: &str,
        missing: &BTreeSet<String>,
    ) -> Result<(Arc<Model>, String), ShopError> {
        let slot = self.slot(id, missing);
        let mut made = lock(&slot);
        if let Some(made) = &*made {
            return Ok(made.clone());
        }
        let vehicle = self.file(id)?.without_equipment(missing);
        let mut name = DefaultHasher::new();
        format!("{vehicle:?}").hash(&mut name);
        let name = format!("{:016x}", name.finish());
        let (solved, of) = (self.solved.clone(), name.clone());
        let model = Model::sharing(vehicle, &self.cache)?
            .with_attic(move |state, read| solved.fetch(&of, state, read));
        let model = Arc::new(model);
        self.solved.restore(&name, &model);
        let fresh = (model, name);
        *made = Some(fresh.clone());
        Ok(fresh)
    }

    fn slot(&self, id: &str, missing: &BTreeSet<String>) -> Made {
        let mut models = lock(&self.models);
        let at = models.iter().position(|s| s.vehicle == id && s.missing == *missing);
        let slot = match at {
            Some(at) => models.remove(at),
            None => Slot { vehicle: id.to_owned(), missing: missing.clone(), made: Arc::default() },
        };
        let made = Arc::clone(&slot.made);
        models.push(slot);
        // Of models that nobody works with only the latest stay.
        let idle = |s: &Slot| {
            Arc::strong_count(&s.made) == 1
                && s.made.try_lock().is_ok_and(|m| {
                    m.as_ref().is_none_or(|(model, _)| Arc::strong_count(model) == 1)
                })
        };
        let mut over = models.iter().filter(|s| idle(s)).count().saturating_sub(KEPT);
        models.retain(|s| {
            let goes = over > 0 && idle(s);
            over -= usize::from(goes);
            !goes
        });
        made
    }
}
