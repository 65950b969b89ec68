//! What is loaded of a boat: read models over the store, with what the core needs of them. No page, no form, no Rocket.

pub mod boat;
pub mod decide;
pub mod due;
pub mod finish;
pub mod forecast;
pub mod hanging;
pub mod hulls;
pub mod instruments;
pub mod kept;
pub mod learned;
pub mod lines;
pub mod make;
pub mod metals;
pub mod order;
pub mod original;
pub mod place;
pub mod planned;
pub mod quote;
pub mod refasten;
pub mod sample;
pub mod seams;
pub mod shape;
pub mod supply;
pub mod survey;
pub mod timber;
pub mod weather;
