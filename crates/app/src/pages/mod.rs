//! Pages, in the order of the line of work; each has its template beside it. A step imports nothing of another step.

pub mod decide;
pub mod fasten;
pub mod finish;
pub mod seams;
pub mod shape;
pub mod story;
pub mod supply;
pub mod survey;
pub mod terms;
pub mod timber;
pub mod work;

pub mod backups;
pub mod bench;
pub mod boats;
pub mod door;
pub mod handbook;
pub mod hulls;
pub mod jobs;
pub mod make;
pub mod people;
pub mod plan;
pub mod practice;
pub mod rack;
pub mod search;
pub mod species;
pub mod stores;
pub mod today;
pub mod yard;
