//! The whole program from outside: over HTTP and through the page.

mod parts {
    pub mod attack;
    pub mod bad_input;
    pub mod beds;
    pub mod by_hand;
    pub mod check;
    pub mod elsewhere;
    pub mod everybody;
    pub mod files;
    pub mod fit;
    pub mod handed;
    pub mod hands;
    pub mod history;
    pub mod hostile;
    pub mod house;
    pub mod lanes;
    pub mod lengths;
    pub mod listeners;
    pub mod main_job;
    pub mod pace;
    pub mod people;
    pub mod picture;
    pub mod reading;
    pub mod resume;
    pub mod scenes;
    pub mod several;
    pub mod shape;
    pub mod situations;
    pub mod trouble;
    pub mod upkeep;
    pub mod voice;
}
