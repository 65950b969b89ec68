//! What any page needs of the web: the desk, forms, accounts, errors, photographs, long work. It knows no boat.

pub mod assets;
pub mod auth;
pub mod backup;
pub mod changed;
pub mod choices;
pub mod compress;
pub mod desk;
pub mod device;
pub mod drawn;
pub mod error;
pub mod folder;
pub mod form;
pub mod front;
pub mod gate;
pub mod heavy;
pub mod jobs;
pub mod kept;
pub mod photos;
pub mod problem;
pub mod same;
pub mod second;
pub mod settings;
pub mod uploads;
