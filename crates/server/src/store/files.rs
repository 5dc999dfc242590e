//! Sounds by the hash of their content.

use super::StoreError;
use super::bucket::bucket;
use super::cache::Cache;
use super::making::Making;
use crate::apart::{SoundError, decode};
use actix_web::web::Bytes;
use futures_util::{Stream, StreamExt};
use jaunty_core::digest::hex;
use jaunty_media::{DecodedInfo, PcmFile, free_bytes};
use object_store::path::Path as ObjectPath;
use object_store::{GetOptions, ObjectStore, ObjectStoreExt, WriteMultipart};
use sha2::{Digest, Sha256};
use std::io::{self, Read};
use std::ops::Range;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use tokio::io::{AsyncReadExt, AsyncWriteExt};

/// A file that has arrived and is not stored yet; dropped, it is gone.
#[derive(Debug)]
pub struct Received {
    /// SHA-256 of the bytes, in hexadecimal.
    pub hash: String,
    /// Number of bytes.
    pub size_bytes: u64,
    file: tempfile::NamedTempFile,
}

impl Received {
    /// Where it lies until it is stored or dropped.
    pub fn path(&self) -> &Path {
        self.file.path()
    }
}

/// What uploads may take.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Room {
    /// The largest upload in bytes.
    pub most_upload_bytes: u64,
    /// Bytes that stay free on the disk.
    pub leave_free_bytes: u64,
    /// Bytes that what can be made again may take; as many as there is room for without one.
    pub cache_bytes: Option<u64>,
}

/// The bytes of a file, piece by piece.
fn chunks_of(file: tokio::fs::File) -> impl Stream<Item = Result<Vec<u8>, io::Error>> {
    futures_util::stream::unfold(file, |mut file| async move {
        let mut chunk = vec![0u8; 1 << 20];
        match file.read(&mut chunk).await {
            Ok(0) => None,
            Ok(count) => {
                chunk.truncate(count);
                Some((Ok(chunk), file))
            }
            Err(cause) => Some((Err(cause), file)),
        }
    })
}

fn of_object(cause: object_store::Error) -> io::Error {
    match cause {
        object_store::Error::NotFound { .. } => io::Error::new(io::ErrorKind::NotFound, cause),
        other => io::Error::other(other),
    }
}

/// The object store with the cache of working files in front of it.
#[derive(Clone)]
pub struct Files {
    objects: Arc<dyn ObjectStore>,
    /// The folder of what is kept; elsewhere it is sent to the object store.
    kept: Option<PathBuf>,
    cache: Cache,
    making: Arc<Making>,
    program: PathBuf,
    room: Room,
}

impl Files {
    /// Sounds in a local folder, or in a bucket that several servers share (`s3://bucket/prefix`) with a cache in that folder. `program`
    /// is the `jaunty` binary, which decodes them.
    ///
    /// # Errors
    /// If the folder cannot be made or written, or the address of the bucket is none.
    pub fn open(folder: &Path, objects_url: Option<&str>, program: &Path, room: Room) -> io::Result<Self> {
        let objects = folder.join("objects");
        let cache = Cache::in_folder(folder.join("cache"), room.cache_bytes)?;
        let making = Arc::new(Making::in_folder(&folder.join("making"))?);
        let (objects, kept): (Arc<dyn ObjectStore>, _) = match objects_url {
            Some(url) => (bucket(url)?, None),
            None => {
                let kept = objects.join("sounds");
                std::fs::create_dir_all(&kept)?;
                let local = object_store::local::LocalFileSystem::new_with_prefix(&objects).map_err(io::Error::other)?;
                (Arc::new(local), Some(kept))
            }
        };
        Ok(Self { objects, kept, cache, making, program: program.to_owned(), room })
    }

    fn object(hash: &str) -> ObjectPath {
        ObjectPath::from(format!("sounds/{hash}"))
    }

    /// A file for something that is being made, gone when dropped.
    ///
    /// # Errors
    /// What the disk says.
    pub fn unfinished(&self) -> io::Result<tempfile::NamedTempFile> {
        self.making.file()
    }

    /// The binary that does what may break.
    pub fn program(&self) -> &Path {
        &self.program
    }

    fn check_room(&self, more_bytes: u64) -> Result<(), StoreError> {
        if free_bytes(self.kept.as_deref().unwrap_or(self.cache.folder()))? < self.room.leave_free_bytes.saturating_add(more_bytes) {
            return Err(StoreError::NoRoom("the server's disk for this file; nothing of it was kept"));
        }
        Ok(())
    }

    /// Takes an upload as it comes in, without ever holding it whole in memory.
    ///
    /// # Errors
    /// [`StoreError::TooLarge`] beyond the limit, [`StoreError::NoRoom`] when the disk is full,
    /// [`StoreError::BrokenOff`] when the stream ends early; nothing is kept in any case.
    pub async fn receive<B, E>(&self, chunks: impl Stream<Item = Result<B, E>> + Unpin) -> Result<Received, StoreError>
    where
        B: AsRef<[u8]>,
        E: std::fmt::Display,
    {
        self.receive_at_most(chunks, self.room.most_upload_bytes).await
    }

    /// As [`Files::receive`], with a limit of its own.
    ///
    /// # Errors
    /// As [`Files::receive`].
    pub async fn receive_at_most<B, E>(&self, mut chunks: impl Stream<Item = Result<B, E>> + Unpin, most_bytes: u64) -> Result<Received, StoreError>
    where
        B: AsRef<[u8]>,
        E: std::fmt::Display,
    {
        /// How much arrives between two looks at the disk.
        const LOOK_BYTES: u64 = 16 << 20;
        let file = self.unfinished()?;
        let mut to = tokio::io::BufWriter::with_capacity(1 << 18, tokio::fs::File::from_std(file.reopen()?));
        let mut hasher = Sha256::new();
        let (mut size_bytes, mut looked_bytes) = (0u64, 0u64);
        self.check_room(LOOK_BYTES)?;
        while let Some(chunk) = chunks.next().await {
            let chunk = chunk.map_err(|cause| {
                tracing::info!(%cause, "an upload broke off");
                StoreError::BrokenOff
            })?;
            let bytes = chunk.as_ref();
            size_bytes += bytes.len() as u64;
            if size_bytes > most_bytes {
                return Err(StoreError::TooLarge { most_bytes });
            }
            if size_bytes - looked_bytes >= LOOK_BYTES {
                looked_bytes = size_bytes;
                self.check_room(LOOK_BYTES)?;
            }
            hasher.update(bytes);
            to.write_all(bytes).await?;
        }
        to.flush().await?;
        // An upload that was answered survives a power cut.
        to.get_ref().sync_data().await?;
        let hash = hex(&hasher.finalize());
        Ok(Received { hash, size_bytes, file })
    }

    /// Takes a cut as one file: its film and its sounds, each as large as an upload may be.
    ///
    /// # Errors
    /// As [`Files::receive`].
    pub async fn receive_whole_cut<B, E>(&self, chunks: impl Stream<Item = Result<B, E>> + Unpin) -> Result<Received, StoreError>
    where
        B: AsRef<[u8]>,
        E: std::fmt::Display,
    {
        const TIMES: u64 = 8;
        self.receive_at_most(chunks, self.room.most_upload_bytes.saturating_mul(TIMES)).await
    }

    /// Takes a local file as an upload.
    ///
    /// # Errors
    /// As [`Files::receive`].
    pub async fn receive_file(&self, path: &Path) -> Result<Received, StoreError> {
        let chunks = chunks_of(tokio::fs::File::open(path).await?);
        self.receive(std::pin::pin!(chunks)).await
    }

    /// Takes a file that was made here, as an upload without a limit but the room there is.
    ///
    /// # Errors
    /// As [`Files::receive`].
    pub async fn receive_made(&self, path: &Path) -> Result<Received, StoreError> {
        self.receive_at_most(std::pin::pin!(chunks_of(tokio::fs::File::open(path).await?)), u64::MAX).await
    }

    /// Takes over a file that was made in the folder of what is unfinished, as it lies there.
    ///
    /// # Errors
    /// What the disk says.
    pub async fn take_over(&self, file: tempfile::NamedTempFile) -> Result<Received, StoreError> {
        let hashed = tokio::task::spawn_blocking(move || -> io::Result<Received> {
            let (mut open, mut hasher, mut block, mut size_bytes) = (std::fs::File::open(file.path())?, Sha256::new(), vec![0u8; 1 << 20], 0);
            loop {
                let count = open.read(&mut block)?;
                if count == 0 {
                    break;
                }
                hasher.update(&block[..count]);
                size_bytes += count as u64;
            }
            open.sync_data()?;
            Ok(Received { hash: hex(&hasher.finalize()), size_bytes, file })
        });
        Ok(hashed.await.map_err(io::Error::other)??)
    }

    /// Stores what has arrived, in one step: a store that is cut off has it whole or not at all. Two
    /// that store the same bytes are one.
    ///
    /// # Errors
    /// What the disk says.
    pub async fn keep(&self, received: Received) -> Result<(), StoreError> {
        let Some(kept) = &self.kept else { return self.send(&received).await };
        received.file.persist(kept.join(&received.hash)).map_err(|e| StoreError::from(e.error))?;
        Ok(())
    }

    /// Sends what has arrived to the object store, in parts; what breaks off there is no object.
    async fn send(&self, received: &Received) -> Result<(), StoreError> {
        /// Parts on their way at once.
        const AT_ONCE: usize = 4;
        let object = Self::object(&received.hash);
        // The same bytes are there, or not at all.
        match self.objects.head(&object).await {
            Ok(_) => return Ok(()),
            Err(object_store::Error::NotFound { .. }) => {}
            Err(cause) => return Err(cause.into()),
        }
        let mut parts = WriteMultipart::new(self.objects.put_multipart(&object).await?);
        let mut bytes = std::pin::pin!(chunks_of(tokio::fs::File::open(received.path()).await?));
        while let Some(chunk) = bytes.next().await {
            let there = match chunk {
                Ok(chunk) => parts.wait_for_capacity(AT_ONCE).await.map(|()| parts.put(chunk.into())).map_err(StoreError::from),
                Err(cause) => Err(cause.into()),
            };
            if let Err(cause) = there {
                // What was sent is thrown away there by itself as well, in time.
                let _ = parts.abort().await;
                return Err(cause);
            }
        }
        parts.finish().await?;
        Ok(())
    }

    /// A place in the cache for something that can be made again.
    pub fn cache_path(&self, name: &str) -> PathBuf {
        self.cache.path(name)
    }

    fn cache_file(&self, hash: &str) -> PathBuf {
        self.cache_path(&format!("{hash}.pcm"))
    }

    async fn copy_original(&self, hash: &str, to: &Path) -> io::Result<()> {
        let mut file = tokio::fs::File::create(to).await?;
        let mut bytes = self.objects.get(&Self::object(hash)).await.map_err(of_object)?.into_stream();
        while let Some(chunk) = bytes.next().await {
            file.write_all(&chunk.map_err(io::Error::other)?).await?;
        }
        file.flush().await
    }

    /// How many bytes a stored file has.
    ///
    /// # Errors
    /// What the store says.
    pub async fn size_bytes(&self, hash: &str) -> Result<u64, StoreError> {
        Ok(self.objects.head(&Self::object(hash)).await.map_err(of_object).map_err(SoundError::of_store)?.size)
    }

    /// Bytes of a stored file, from wherever it lies: nothing is copied first.
    ///
    /// # Errors
    /// What the store says.
    pub async fn range(&self, hash: &str, bytes: Range<u64>) -> Result<impl Stream<Item = io::Result<Bytes>> + use<>, StoreError> {
        let options = GetOptions { range: Some(bytes.into()), ..GetOptions::default() };
        let found = self.objects.get_opts(&Self::object(hash), options).await.map_err(of_object).map_err(SoundError::of_store)?;
        Ok(found.into_stream().map(|chunk| chunk.map_err(io::Error::other)))
    }

    /// A stored file as it came in, as a local file that can be sought in.
    ///
    /// # Errors
    /// What the store or the disk says.
    pub async fn original(&self, hash: &str, extension: &str) -> Result<PathBuf, StoreError> {
        let path = self.cache_path(&format!("{hash}.{extension}"));
        if !path.exists() {
            let made = self.unfinished()?;
            self.copy_original(hash, made.path()).await.map_err(SoundError::of_store)?;
            made.persist(&path).map_err(|e| StoreError::from(e.error))?;
            self.cache.make_room()?;
        }
        self.cache.used(&path);
        Ok(path)
    }

    /// Decodes a sound into its working file. Several calls at once are harmless: the last one
    /// to finish wins, and all write the same samples.
    ///
    /// # Errors
    /// [`SoundError`] with what to do.
    pub async fn decode(&self, hash: &str, extension: &str, progress: impl FnMut(f32) -> bool) -> Result<DecodedInfo, SoundError> {
        let (original, made) = (self.unfinished()?, self.unfinished()?);
        self.copy_original(hash, original.path()).await.map_err(SoundError::of_store)?;
        let info = decode(&self.program, original.path(), extension, made.path(), progress).await?;
        made.persist(self.cache_file(hash)).map_err(|e| SoundError::Io(e.error))?;
        self.cache.make_room()?;
        Ok(info)
    }

    /// The working file of a sound, made anew if it is missing.
    ///
    /// # Errors
    /// [`SoundError`] if that fails.
    pub async fn working_file(&self, hash: &str, extension: &str) -> Result<PcmFile, SoundError> {
        let path = self.cache_file(hash);
        match PcmFile::open(&path) {
            Ok(file) => {
                self.cache.used(&path);
                Ok(file)
            }
            Err(_) => {
                self.decode(hash, extension, |_| true).await?;
                Ok(PcmFile::open(&path)?)
            }
        }
    }

    /// The hashes of what is stored, with the time of each.
    ///
    /// # Errors
    /// What the store says.
    pub async fn stored(&self) -> Result<Vec<(String, chrono::DateTime<chrono::Utc>)>, StoreError> {
        let mut found = Vec::new();
        let mut all = self.objects.list(Some(&ObjectPath::from("sounds")));
        while let Some(one) = all.next().await {
            let one = one?;
            found.extend(one.location.filename().map(|hash| (hash.to_owned(), one.last_modified)));
        }
        Ok(found)
    }

    /// Removes a stored sound and whatever was made of it.
    ///
    /// # Errors
    /// What the store or the disk says.
    pub async fn remove(&self, hash: &str) -> Result<(), StoreError> {
        match self.objects.delete(&Self::object(hash)).await {
            Ok(()) | Err(object_store::Error::NotFound { .. }) => {}
            Err(cause) => return Err(cause.into()),
        }
        for entry in std::fs::read_dir(self.cache.folder())? {
            let path = entry?.path();
            if path.file_name().and_then(|n| n.to_str()).is_some_and(|name| name.starts_with(hash)) {
                std::fs::remove_file(path)?;
            }
        }
        Ok(())
    }
}
