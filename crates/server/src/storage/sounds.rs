//! Sounds by the hash of their content.

use crate::problem::{Code, Problem};
use futures_util::{Stream, StreamExt};
use jaunty_media::{DecodeError, DecodedInfo, PcmFile, decode_file};
use object_store::path::Path as ObjectPath;
use object_store::{ObjectStore, ObjectStoreExt, WriteMultipart};
use sha2::{Digest, Sha256};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use tokio::io::{AsyncReadExt, AsyncWriteExt};

/// A sound that has been stored.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StoredSound {
    /// SHA-256 of the bytes, in hexadecimal.
    pub hash: String,
    /// Number of bytes.
    pub size_bytes: u64,
}

/// The object store with the cache of working files in front of it.
#[derive(Clone)]
pub struct Sounds {
    objects: Arc<dyn ObjectStore>,
    cache: PathBuf,
    most_bytes: u64,
}

impl Sounds {
    /// Sounds in a local folder. `most_bytes` is the largest upload.
    ///
    /// # Errors
    /// If the folder cannot be made.
    pub fn in_folder(folder: &Path, most_bytes: u64) -> Result<Self, Problem> {
        let (objects, cache) = (folder.join("objects"), folder.join("cache"));
        std::fs::create_dir_all(&objects)?;
        std::fs::create_dir_all(&cache)?;
        let objects = Arc::new(object_store::local::LocalFileSystem::new_with_prefix(&objects)?);
        Ok(Self { objects, cache, most_bytes })
    }

    fn object(hash: &str) -> ObjectPath {
        ObjectPath::from(format!("sounds/{hash}"))
    }

    /// Takes an upload as it comes in, without ever holding it whole.
    ///
    /// # Errors
    /// [`Code::TooLarge`] beyond the limit, [`Code::UploadBroken`] when the stream ends early;
    /// nothing is kept in either case.
    pub async fn store<B, E>(&self, mut chunks: impl Stream<Item = Result<B, E>> + Unpin) -> Result<StoredSound, Problem>
    where
        B: AsRef<[u8]>,
        E: std::fmt::Display,
    {
        let incoming = ObjectPath::from(format!("incoming/{}", uuid::Uuid::now_v7()));
        let mut upload = WriteMultipart::new(self.objects.put_multipart(&incoming).await?);
        let mut hasher = Sha256::new();
        let mut size_bytes = 0u64;
        while let Some(chunk) = chunks.next().await {
            let refused = match &chunk {
                Ok(bytes) if size_bytes + bytes.as_ref().len() as u64 > self.most_bytes => {
                    let limit_mb = self.most_bytes / 1_000_000;
                    Some(Problem::new(Code::TooLarge, format!("The file has more than {limit_mb} MB; nothing of it was kept.")))
                }
                Ok(_) => None,
                Err(cause) => {
                    tracing::info!(%cause, "an upload broke off");
                    Some(Problem::new(Code::UploadBroken, "The file did not arrive whole."))
                }
            };
            if let Some(problem) = refused {
                upload.abort().await?;
                return Err(problem);
            }
            if let Ok(bytes) = chunk {
                size_bytes += bytes.as_ref().len() as u64;
                hasher.update(bytes.as_ref());
                upload.wait_for_capacity(4).await?;
                upload.write(bytes.as_ref());
            }
        }
        upload.finish().await?;
        let hash: String = hasher.finalize().iter().map(|byte| format!("{byte:02x}")).collect();
        let target = Self::object(&hash);
        if self.objects.head(&target).await.is_ok() {
            self.objects.delete(&incoming).await?;
        } else {
            self.objects.rename(&incoming, &target).await?;
        }
        Ok(StoredSound { hash, size_bytes })
    }

    /// Stores a local file.
    ///
    /// # Errors
    /// As [`Sounds::store`].
    pub async fn store_file(&self, path: &Path) -> Result<StoredSound, Problem> {
        let file = tokio::fs::File::open(path).await?;
        let chunks = futures_util::stream::unfold(file, |mut file| async move {
            let mut chunk = vec![0u8; 1 << 20];
            match file.read(&mut chunk).await {
                Ok(0) => None,
                Ok(count) => {
                    chunk.truncate(count);
                    Some((Ok(chunk), file))
                }
                Err(cause) => Some((Err(cause), file)),
            }
        });
        self.store(std::pin::pin!(chunks)).await
    }

    /// A place in the cache for something that can be made again.
    pub fn cache_path(&self, name: &str) -> PathBuf {
        self.cache.join(name)
    }

    fn cache_file(&self, hash: &str) -> PathBuf {
        self.cache_path(&format!("{hash}.pcm"))
    }

    async fn copy_original(&self, hash: &str, to: &Path) -> Result<(), DecodeError> {
        let other = |cause: object_store::Error| DecodeError::Io(std::io::Error::other(cause));
        let mut file = tokio::fs::File::create(to).await?;
        let mut bytes = self.objects.get(&Self::object(hash)).await.map_err(other)?.into_stream();
        while let Some(chunk) = bytes.next().await {
            file.write_all(&chunk.map_err(other)?).await?;
        }
        Ok(file.flush().await?)
    }

    /// A stored file as it came in, as a local file that can be sought in.
    ///
    /// # Errors
    /// What the store or the disk says.
    pub async fn original(&self, hash: &str, extension: &str) -> Result<PathBuf, Problem> {
        let path = self.cache_path(&format!("{hash}.{extension}"));
        if !path.exists() {
            let made = tempfile::NamedTempFile::new_in(&self.cache)?;
            self.copy_original(hash, made.path()).await.map_err(Problem::internal)?;
            made.persist(&path).map_err(|e| Problem::from(e.error))?;
        }
        Ok(path)
    }

    /// Decodes a sound into its working file. Several calls at once are harmless: the last one
    /// to finish wins, and all write the same samples.
    ///
    /// # Errors
    /// [`DecodeError`] with what to do.
    pub async fn decode(&self, hash: &str, extension: &str, mut progress: impl FnMut(f32) -> bool + Send + 'static) -> Result<DecodedInfo, DecodeError> {
        let original = tempfile::NamedTempFile::new_in(&self.cache)?;
        self.copy_original(hash, original.path()).await?;
        let (target, extension, cache) = (self.cache_file(hash), extension.to_owned(), self.cache.clone());
        tokio::task::spawn_blocking(move || {
            let made = tempfile::NamedTempFile::new_in(&cache)?;
            let info = decode_file(original.path(), Some(&extension), made.path(), &mut progress)?;
            made.persist(&target).map_err(|e| DecodeError::Io(e.error))?;
            Ok(info)
        })
        .await
        .map_err(|cause| DecodeError::Io(std::io::Error::other(cause)))?
    }

    /// The working file of a sound, made anew if it is missing.
    ///
    /// # Errors
    /// [`DecodeError`] if that fails.
    pub async fn working_file(&self, hash: &str, extension: &str) -> Result<PcmFile, DecodeError> {
        match PcmFile::open(&self.cache_file(hash)) {
            Ok(file) => Ok(file),
            Err(_) => {
                self.decode(hash, extension, |_| true).await?;
                Ok(PcmFile::open(&self.cache_file(hash))?)
            }
        }
    }
}
