//! In a program that was built without OpenID Connect there is no service, and whoever sets one up is told so.

use super::{Known, Refusal, Try};
use crate::settings::ServiceSettings;

/// A service elsewhere that says who somebody is: here there is none.
#[derive(Clone)]
pub enum Elsewhere {}

impl Elsewhere {
    /// None.
    ///
    /// # Errors
    /// Always: what to do instead.
    pub fn new(_: ServiceSettings, _: String) -> Result<Self, String> {
        Err("this program was built without OpenID Connect; build it with --features jaunty-server/full".into())
    }

    /// What people call it.
    pub fn name(&self) -> &str {
        match *self {}
    }

    /// Where somebody goes to say who they are.
    ///
    /// # Errors
    /// There is no service.
    pub async fn begin(&self) -> Result<(String, Try), Refusal> {
        match *self {}
    }

    pub(super) async fn known(&self, _: &str, _: &str, _: Try) -> Result<Known, Refusal> {
        match *self {}
    }
}
