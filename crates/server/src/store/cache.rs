//! The folder of what can be made again from what is kept: working files, and copies of what lies in a bucket.

use std::fs::{File, Metadata};
use std::io;
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};

/// A folder of files that were used lately; when they take too much, those go that nobody used for longest.
#[derive(Clone, Debug)]
pub struct Cache {
    folder: PathBuf,
    most_bytes: Option<u64>,
}

impl Cache {
    /// Whoever was given a file has opened it by then: what is open stays readable when it goes.
    const AT_HAND: Duration = Duration::from_secs(600);

    /// A cache in `folder`, of so many bytes or as many as there is room for.
    ///
    /// # Errors
    /// If the folder cannot be made.
    pub fn in_folder(folder: PathBuf, most_bytes: Option<u64>) -> io::Result<Self> {
        std::fs::create_dir_all(&folder)?;
        Ok(Self { folder, most_bytes })
    }

    /// The folder.
    pub fn folder(&self) -> &Path {
        &self.folder
    }

    /// The place of a file by its name.
    pub fn path(&self, name: &str) -> PathBuf {
        self.folder.join(name)
    }

    /// Notes that a file is used, unless that was noted in this minute.
    pub fn used(&self, path: &Path) {
        const NOTED: Duration = Duration::from_secs(60);
        let age = |file: &Metadata| file.modified().ok()?.elapsed().ok();
        if path.metadata().is_ok_and(|file| age(&file).is_some_and(|age| age > NOTED)) {
            // A cache that cannot be written is no reason not to read it.
            let _ = File::options().write(true).open(path).and_then(|file| file.set_modified(SystemTime::now()));
        }
    }

    /// Removes what was not used for longest, as far as there is too much.
    ///
    /// # Errors
    /// What the disk says.
    pub fn make_room(&self) -> io::Result<()> {
        let Some(most_bytes) = self.most_bytes else { return Ok(()) };
        let mut files = Vec::new();
        for entry in std::fs::read_dir(&self.folder)? {
            let entry = entry?;
            // Another server may have removed it meanwhile.
            if let Ok(file) = entry.metadata()
                && file.is_file()
            {
                files.push((file.modified()?, file.len(), entry.path()));
            }
        }
        let mut bytes: u64 = files.iter().map(|file| file.1).sum();
        files.sort();
        for (used, length, path) in files {
            if bytes <= most_bytes || used.elapsed().is_ok_and(|age| age < Self::AT_HAND) {
                break;
            }
            match std::fs::remove_file(&path) {
                Err(cause) if cause.kind() != io::ErrorKind::NotFound => return Err(cause),
                _ => bytes -= length,
            }
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn file(cache: &Cache, name: &str, bytes: usize, unused: Duration) -> PathBuf {
        let path = cache.path(name);
        std::fs::write(&path, vec![1; bytes]).unwrap();
        File::options().write(true).open(&path).unwrap().set_modified(SystemTime::now() - unused).unwrap();
        path
    }

    const HOUR: Duration = Duration::from_secs(3600);

    #[test]
    fn what_was_not_used_for_longest_goes_and_what_is_at_hand_stays() {
        let folder = tempfile::TempDir::new().unwrap();
        let cache = Cache::in_folder(folder.path().join("cache"), Some(250)).unwrap();
        let old = file(&cache, "old", 100, 3 * HOUR);
        let older_but_used = file(&cache, "older", 100, 5 * HOUR);
        let new = file(&cache, "new", 100, HOUR);
        cache.used(&older_but_used);
        cache.make_room().unwrap();
        assert_eq!((old.exists(), older_but_used.exists(), new.exists()), (false, true, true));
        // More than it may hold, and all of it in use.
        let at_hand = [file(&cache, "a", 300, Duration::ZERO), file(&cache, "b", 300, Duration::from_secs(30))];
        cache.make_room().unwrap();
        assert!(at_hand.iter().all(|path| path.exists()) && older_but_used.exists() && !new.exists());
        let unbounded = Cache::in_folder(folder.path().join("cache"), None).unwrap();
        file(&unbounded, "huge", 10_000, 9 * HOUR);
        unbounded.make_room().unwrap();
        assert!(unbounded.path("huge").exists());
    }
}
