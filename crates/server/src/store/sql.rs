//! Pieces of SQL.

use uuid::Uuid;

/// Reads a struct from the columns that are named as its fields are; those after `json` from JSON, those after `of` from columns of
/// their own. The derive macro of SQLx would do the same, but brings a second SQLx, for the compiler, with all that it needs.
macro_rules! row {
    ($of:ident { $($field:ident),* } $(json { $($json:ident),* })? $(of { $($part:ident),* })?) => {
        impl<'r> sqlx::FromRow<'r, sqlx::mysql::MySqlRow> for $of {
            fn from_row(row: &'r sqlx::mysql::MySqlRow) -> Result<Self, sqlx::Error> {
                use sqlx::Row;
                Ok(Self {
                    $($field: row.try_get(stringify!($field))?,)*
                    $($($json: row.try_get::<sqlx::types::Json<_>, _>(stringify!($json))?.0,)*)?
                    $($($part: sqlx::FromRow::from_row(row)?,)*)?
                })
            }
        }
    };
}
pub(super) use row;

/// Names as a list in SQL: hexadecimal digits and nothing else.
pub(super) fn among(ids: &[Uuid]) -> String {
    if ids.is_empty() { "NULL".into() } else { ids.iter().map(|id| format!("X'{}'", id.simple())).collect::<Vec<_>>().join(", ") }
}
