//! A revision as it is written: where it stands among the others, and the documents that it names.

use crate::store::StoreError;
use crate::store::documents;
use crate::store::sql::row;
use jaunty_core::cut::{Cut, Setup};
use jaunty_core::message::Message;
use sqlx::MySqlTransaction;
use uuid::Uuid;

/// Where a revision stands among the others.
pub(super) struct Place {
    pub(super) revision: u32,
    pub(super) parent: Option<u32>,
    pub(super) base: Option<u32>,
    pub(super) planned_for: Option<u32>,
}

/// Setup, plan and fittings of a revision, as documents.
pub(super) struct Made {
    pub(super) setup_hash: Vec<u8>,
    pub(super) plan_hash: Vec<u8>,
    pub(super) fittings_hash: Vec<u8>,
    pub(super) chosen: u32,
}

row!(Made { setup_hash, plan_hash, fittings_hash, chosen });

impl Made {
    pub(super) async fn of(transaction: &mut MySqlTransaction<'_>, id: Uuid, revision: u32) -> Result<Self, StoreError> {
        let query = "SELECT setup_hash, plan_hash, fittings_hash, chosen FROM revisions WHERE cut_id = ? AND revision = ?";
        Ok(sqlx::query_as(query).bind(id).bind(revision).fetch_one(&mut **transaction).await?)
    }

    /// As `before`, with what is new.
    pub(super) async fn after(transaction: &mut MySqlTransaction<'_>, before: Option<&Self>, setup: &Setup, made: Option<&Cut>) -> Result<Self, StoreError> {
        let setup_hash = documents::write(transaction, setup, before.map(|b| b.setup_hash.as_slice())).await?;
        match (made, before) {
            (None, Some(before)) => {
                Ok(Self { setup_hash, plan_hash: before.plan_hash.clone(), fittings_hash: before.fittings_hash.clone(), chosen: before.chosen })
            }
            (None, None) => Err(StoreError::damaged("a revision of nothing")),
            (Some(cut), before) => Ok(Self {
                setup_hash,
                plan_hash: documents::write(transaction, &cut.plan, before.map(|b| b.plan_hash.as_slice())).await?,
                fittings_hash: documents::write(transaction, &cut.fittings, before.map(|b| b.fittings_hash.as_slice())).await?,
                chosen: cut.chosen as u32,
            }),
        }
    }
}

/// A revision as it is written.
pub(super) struct Row<'a> {
    pub(super) place: Place,
    pub(super) what: &'a Message,
    pub(super) said: Option<&'a str>,
    pub(super) made: &'a Made,
    pub(super) by: Option<Uuid>,
}

impl Row<'_> {
    pub(super) async fn write(&self, transaction: &mut MySqlTransaction<'_>, id: Uuid) -> Result<(), StoreError> {
        sqlx::query(
            "INSERT INTO revisions (cut_id, revision, parent, base, planned_for, what, said, setup_hash, plan_hash, fittings_hash, chosen, made_by)
             VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        )
        .bind(id)
        .bind(self.place.revision)
        .bind(self.place.parent)
        .bind(self.place.base)
        .bind(self.place.planned_for)
        // As much as fits its column.
        .bind(stored(self.what))
        .bind(self.said)
        .bind(&self.made.setup_hash)
        .bind(&self.made.plan_hash)
        .bind(&self.made.fittings_hash)
        .bind(self.made.chosen)
        .bind(self.by)
        .execute(&mut **transaction)
        .await?;
        Ok(())
    }
}

pub(super) async fn point_at(transaction: &mut MySqlTransaction<'_>, id: Uuid, revision: u32) -> Result<(), StoreError> {
    sqlx::query("UPDATE cuts SET revision = ? WHERE id = ?").bind(revision).bind(id).execute(&mut **transaction).await?;
    Ok(())
}

/// What was done, as it is stored; what is longer than anything that is said here keeps its first words.
pub(in crate::store) fn stored(what: &Message) -> String {
    const MOST_BYTES: usize = 8_000;
    let text = what.to_stored();
    if text.len() <= MOST_BYTES { text } else { Message::Plain(what.to_string().chars().take(200).collect()).to_stored() }
}
