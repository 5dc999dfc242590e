//! Long work: jobs that workers lease, renew and finish, each one call of the studio.
//!
//! A worker that dies stops renewing its lease, and the next one takes the job up again, as its
//! next attempt. [`worker`] is the loop, [`Workers`] the processes that run it.

pub mod worker;
mod workers;

pub use workers::Workers;
