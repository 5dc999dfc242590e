//! Terms of use: whether a piece of music may be used for what a cut is for.
//!
//! Beds come with terms ("free with credit", "non-commercial only", "needs a paid plan", "one
//! project only"), common practice of music suppliers. The verdict is given before a piece is
//! taken and kept in the record afterwards, so that nobody learns at the end that a piece may
//! not be used.

use serde::{Deserialize, Serialize};

/// What a supplier asks of whoever uses a piece.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "camelCase")]
pub enum Terms {
    /// Any use, with the credit line.
    FreeWithCredit,
    /// No use that earns money.
    NonCommercialOnly,
    /// Any use by holders of a paid plan.
    PaidPlan,
    /// Any use in a single project.
    OneProject,
}

impl Terms {
    /// As people say it.
    pub fn name(self) -> &'static str {
        match self {
            Self::FreeWithCredit => "free with credit",
            Self::NonCommercialOnly => "non-commercial only",
            Self::PaidPlan => "needs a paid plan",
            Self::OneProject => "one project only",
        }
    }
}

/// What a cut is for, as far as terms of use care.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Purpose {
    /// Whether money is earned with it: advertising, paid work, a monetised channel.
    pub commercial: bool,
    /// Whether there is a paid plan with the supplier.
    pub paid_plan: bool,
}

/// Why a piece may not be used for a purpose; `None` when it may.
///
/// `taken_elsewhere` is whether another cut has taken the piece already.
///
/// ```
/// use jaunty_picture::terms::{Purpose, Terms, objection};
/// let advert = Purpose { commercial: true, paid_plan: false };
/// assert!(objection(Terms::FreeWithCredit, advert, false).is_none());
/// assert!(objection(Terms::NonCommercialOnly, advert, false).is_some());
/// ```
pub fn objection(terms: Terms, purpose: Purpose, taken_elsewhere: bool) -> Option<&'static str> {
    match terms {
        Terms::NonCommercialOnly if purpose.commercial => Some("This piece is for non-commercial use only, and this cut is commercial."),
        Terms::PaidPlan if !purpose.paid_plan => Some("This piece needs a paid plan with its supplier, and none is noted for this cut."),
        Terms::OneProject if taken_elsewhere => Some("This piece may be used in one project only, and another cut has taken it."),
        _ => None,
    }
}
