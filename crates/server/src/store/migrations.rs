//! The tables, as they came to be: one change a file, in the order of their names, never changed afterwards.

use sqlx::SqlSafeStr;
use sqlx::migrate::{Migration, MigrationType, Migrator};

macro_rules! named {
    ($($name:literal),* $(,)?) => { [$(($name, include_str!(concat!("../../migrations/", $name, ".sql")))),*] };
}

/// The changes by name; `every_file_is_among_them` holds them against the folder.
const ALL: [(&str, &str); 16] = named![
    "20261125000001_cuts_sounds_plans_jobs",
    "20261125000002_everything_that_comes_in",
    "20261126000003_corrected_readings",
    "20261127000004_titles_in_setups",
    "20261128000005_every_change_is_a_revision",
    "20261129000006_documents",
    "20261129000007_handed",
    "20261129000008_house_and_away",
    "20261129000009_versions",
    "20261130000010_people",
    "20261130000011_watching",
    "20261130000012_lists",
    "20261130000013_elsewhere",
    "20261130000014_messages",
    "20261130000015_turns",
    "20261202000016_brought_readings",
];

/// All of them.
///
/// # Panics
/// If a name does not begin with a number, which a test looks at.
pub fn all() -> Migrator {
    let one = |(name, sql): (&'static str, &'static str)| {
        let (version, what) = name.split_once('_').expect("a number and words");
        let version = version.parse().expect("a number");
        Migration::new(version, what.replace('_', " ").into(), MigrationType::Simple, sql.into_sql_str(), false)
    };
    Migrator::with_migrations(ALL.map(one).to_vec())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_file_is_among_them() {
        let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/migrations");
        let mut files: Vec<String> = std::fs::read_dir(folder).unwrap().map(|e| e.unwrap().file_name().into_string().unwrap()).collect();
        files.sort();
        assert_eq!(files, ALL.map(|(name, _)| format!("{name}.sql")));
        assert_eq!(all().iter().count(), ALL.len());
    }
}
