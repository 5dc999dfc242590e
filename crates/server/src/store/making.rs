//! Files that are not finished yet: each process has a folder for its own, and what a killed one left
//! is swept by the next.

use std::fs::{self, File};
use std::io;
use std::path::{Path, PathBuf};

/// The folder of this process, gone with it. A lock says whether its owner lives.
#[derive(Debug)]
pub struct Making {
    folder: PathBuf,
    mark: PathBuf,
    _lock: File,
}

impl Making {
    /// Makes a folder in `all`, after sweeping what others left there.
    ///
    /// # Errors
    /// What the file system says: this is also how a folder that cannot be written is found out.
    pub fn in_folder(all: &Path) -> io::Result<Self> {
        fs::create_dir_all(all)?;
        sweep(all)?;
        let name = uuid::Uuid::new_v4().simple().to_string();
        let (folder, mark) = (all.join(&name), all.join(format!("{name}.lock")));
        let lock = File::create(&mark)?;
        lock.lock()?;
        fs::create_dir(&folder)?;
        // A byte that arrives: some file systems make files and refuse their contents.
        fs::write(folder.join("written"), b"1")?;
        Ok(Self { folder, mark, _lock: lock })
    }

    /// A new file in it, gone when dropped unless it is given a place.
    ///
    /// # Errors
    /// What the file system says.
    pub fn file(&self) -> io::Result<tempfile::NamedTempFile> {
        tempfile::NamedTempFile::new_in(&self.folder)
    }
}

impl Drop for Making {
    fn drop(&mut self) {
        // What stays is swept by the next process.
        let _ = fs::remove_dir_all(&self.folder);
        let _ = fs::remove_file(&self.mark);
    }
}

/// Removes the folders of processes that are gone.
fn sweep(all: &Path) -> io::Result<()> {
    for entry in fs::read_dir(all)? {
        let mark = entry?.path();
        if mark.extension().is_none_or(|e| e != "lock") {
            continue;
        }
        let Ok(lock) = File::open(&mark) else { continue };
        if lock.try_lock().is_ok() {
            let folder = mark.with_extension("");
            tracing::info!(folder = %folder.display(), "sweeping what a killed process left");
            let _ = fs::remove_dir_all(&folder);
            let _ = fs::remove_file(&mark);
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_a_gone_process_left_is_swept_and_what_a_living_one_has_is_not() {
        let all = tempfile::tempdir().expect("a folder");
        let living = Making::in_folder(all.path()).expect("a folder of its own");
        let file = living.file().expect("a file");
        // As kill -9 leaves it: the files are there, the lock is not.
        fs::create_dir(all.path().join("gone")).expect("a folder");
        fs::write(all.path().join("gone/half"), b"half a sound").expect("a file");
        fs::write(all.path().join("gone.lock"), b"").expect("a mark");
        let next = Making::in_folder(all.path()).expect("another");
        assert!(!all.path().join("gone").exists() && !all.path().join("gone.lock").exists());
        assert!(file.path().exists());
        drop((file, living, next));
        assert_eq!(fs::read_dir(all.path()).expect("the folder").count(), 0);
    }

    #[test]
    fn a_folder_that_cannot_be_written_is_refused() {
        // Nobody, root neither, makes files in the process file system.
        assert!(Making::in_folder(Path::new("/proc/self/task")).is_err());
    }
}
