//! What the shop cannot do, and why.

use diagnosis::ModelError;
use std::path::PathBuf;
use store::StoreError;
use thiserror::Error;

/// Why something could not be done.
#[derive(Debug, Error)]
pub enum ShopError {
    /// The database.
    #[error(transparent)]
    Store(#[from] StoreError),
    /// A vehicle file that does not exist.
    #[error("there is no vehicle file “{0}”")]
    NoVehicle(String),
    /// A vehicle file that cannot be used.
    #[error(
        "the vehicle file {path} cannot be used: {why}; what the job holds is kept, mend the file and reload"
    )]
    VehicleFile {
        /// Its path.
        path: PathBuf,
        /// What is wrong with it.
        why: String,
    },
    /// Equipment the vehicle file does not know.
    #[error("there is no equipment “{0}” in this vehicle file")]
    NoEquipment(String),
    /// No directory of vehicle files.
    #[error("there is no directory {0}; name the vehicle files with --vehicles")]
    NoDirectory(PathBuf),
    /// The vehicle cannot be reasoned about.
    #[error(transparent)]
    Model(#[from] ModelError),
    /// A step was ended before it was done: the program stops, or it failed inside.
    #[error("the work was broken off; try again, and restart the program if it stays so")]
    BrokenOff,
}
