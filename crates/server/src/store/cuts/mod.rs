//! Cuts, their revisions, and the documents that these name.
//!
//! Every accepted change is a revision at once, compared and made under the lock of its cut
//! ([`commit`]). One that changes how the cut sounds may wait for its plan: it plays that of its *base*,
//! and the job that makes the plan commits it as a revision of its own, *planned for* the one that
//! waited, beside it in the history. No revision is ever changed; undo and redo only move what is
//! shown. Setup, plan and fittings are documents by the hash of their content, compressed: a
//! revision that leaves one as it was names the same.
//!
//! | part | does |
//! |---|---|
//! | `row` | a cut as the database has it |
//! | `listing` | lists of them |
//! | `writing` | a revision as it is written |
//! | `history` | commits, what is shown, undo and redo |
//! | `making` | new cuts and versions |

mod history;
mod listing;
mod making;
mod row;
mod writing;

pub use history::{Commit, Done, Revision, Sounding, Step, commit, current, done, plan, redone, revision, step};
pub(super) use listing::note_shown;
pub use listing::{Listing, Sort, fill_in_lists, list};
pub use making::{Origin, insert, insert_versions, mother_of, versions_of};
pub use row::{CutRow, all, cut, newest, project_of, set_away};
pub(super) use writing::stored;
