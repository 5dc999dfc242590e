//! The web server, the jobs and the command line of Jaunty Bar.
//!
//! It has floors, and each knows only those below it:
//!
//! | floor | what it is |
//! |---|---|
//! | [`http`] | addresses, who may ask, views of what the studio knows |
//! | [`work`] | the processes that work jobs |
//! | [`studio`] | what can be done with cuts |
//! | [`store`] | MariaDB and the object store |
//! | [`apart`] | processes of our own for what strangers sent |
//!
//! All of them call the core, which holds every rule of the job.

#![forbid(unsafe_code)]

pub mod apart;
pub mod cli;
pub mod http;
pub mod log;
mod settings;
pub mod store;
pub mod studio;
pub mod wanted;
pub mod work;

pub use settings::{ServiceSettings, Settings};
pub use studio::StartError;
