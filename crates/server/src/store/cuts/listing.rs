//! Lists of cuts: searched, sorted, page by page.

use super::row::{CutRow, StoredCut, cuts, find};
use crate::store::StoreError;
use crate::store::sql::among;
use jaunty_core::cut::Setup;
use jaunty_core::units::seconds_from_samples;
use serde::Deserialize;
use sqlx::{AssertSqlSafe, MySqlPool, MySqlTransaction};
use utoipa::ToSchema;
use uuid::Uuid;

/// The order of a list of cuts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub enum Sort {
    /// The one that was made last first.
    #[default]
    Newest,
    /// By title.
    Title,
    /// The shortest first.
    Length,
}

/// A page of a list of cuts.
#[derive(Debug)]
pub struct Listing<'a> {
    /// The projects whose cuts are listed; all without them.
    pub projects: Option<&'a [Uuid]>,
    /// Words that all stand in title, bed or narration.
    pub words: &'a str,
    /// Their order.
    pub sort: Sort,
    /// So many come before this page.
    pub skip: u32,
    /// So many are on it.
    pub count: u32,
}

/// A page of a list of cuts that were not taken away, and how many there are on all pages.
///
/// # Errors
/// What the database says.
pub async fn list(pool: &MySqlPool, page: &Listing<'_>) -> Result<(Vec<CutRow>, u64), StoreError> {
    let of = page.projects.map_or(String::new(), |of| format!("AND c.project_id IN ({})", among(of)));
    let words: Vec<String> = page.words.to_lowercase().split_whitespace().take(12).map(|word| format!("%{}%", word.replace(['\\', '%', '_'], "_"))).collect();
    let matches = "AND c.sought LIKE ? ".repeat(words.len());
    let order = match page.sort {
        Sort::Newest => "c.created_at DESC, c.id DESC",
        Sort::Title => "c.title, c.id",
        Sort::Length => "c.length_s, c.id",
    };
    let found = format!("FROM cuts c WHERE c.away_at IS NULL {of} {matches}");
    let mut counted = sqlx::query_as::<_, (i64,)>(AssertSqlSafe(format!("SELECT COUNT(*) {found}")));
    // The names first, so that the documents of one page alone are opened.
    let query = format!("JOIN (SELECT c.id {found} ORDER BY {order} LIMIT ? OFFSET ?) page ON page.id = c.id ORDER BY {order}");
    let mut listed = sqlx::query_as::<_, StoredCut>(cuts(&query));
    for word in words {
        counted = counted.bind(word.clone());
        listed = listed.bind(word);
    }
    let rows = listed.bind(page.count).bind(page.skip).fetch_all(pool).await?;
    let (count,) = counted.fetch_one(pool).await?;
    Ok((rows.into_iter().map(CutRow::try_from).collect::<Result<_, _>>()?, count as u64))
}

/// Fills in what cuts are searched and sorted by, where that is missing.
///
/// # Errors
/// What the database says.
pub async fn fill_in_lists(pool: &MySqlPool) -> Result<(), StoreError> {
    let missing: Vec<StoredCut> = sqlx::query_as(cuts("WHERE c.title IS NULL")).fetch_all(pool).await?;
    for cut in missing.into_iter().map(CutRow::try_from) {
        let cut = cut?;
        let mut transaction = pool.begin().await?;
        note_listed(&mut transaction, cut.id, &cut.setup).await?;
        transaction.commit().await?;
    }
    Ok(())
}

/// Notes what a cut is searched and sorted by that was brought in with its history.
pub(in crate::store) async fn note_shown(transaction: &mut MySqlTransaction<'_>, id: Uuid) -> Result<(), StoreError> {
    let shown = find(&mut **transaction, id).await?;
    note_listed(transaction, id, &shown.setup).await
}

/// What a cut is searched and sorted by.
pub(super) fn listed_by(setup: &Setup) -> (&str, Option<&str>, Option<&str>, u64) {
    let (bed, take) = (setup.bed.as_ref().map(|b| b.name.as_str()), setup.takes.last().map(|t| t.name.as_str()));
    (&setup.title, bed, take, setup.picture.length_samples())
}

/// Notes what a cut is searched and sorted by.
pub(super) async fn note_listed(transaction: &mut MySqlTransaction<'_>, id: Uuid, setup: &Setup) -> Result<(), StoreError> {
    let cut = |text: &str, most: usize| text.chars().take(most).collect::<String>();
    let (title, bed, take, length_samples) = listed_by(setup);
    let sought = [Some(title), bed, take].into_iter().flatten().map(|name| cut(&name.to_lowercase(), 230)).collect::<Vec<_>>().join(" ");
    sqlx::query("UPDATE cuts SET title = ?, sought = ?, length_s = ? WHERE id = ?")
        .bind(cut(title, 200))
        .bind(sought)
        .bind(seconds_from_samples(length_samples))
        .bind(id)
        .execute(&mut **transaction)
        .await?;
    Ok(())
}
