//! Single pictures of films, kept in memory: their number is bounded, whatever is asked for.

use super::{Code, Problem};
use bytes::Bytes;
use std::sync::Arc;
use tokio::sync::Semaphore;

/// Pictures that were asked for lately.
#[derive(Clone)]
pub struct Stills {
    kept: moka::future::Cache<(String, u64), Bytes>,
    /// So many are taken out of films at once.
    turns: Arc<Semaphore>,
}

impl Default for Stills {
    fn default() -> Self {
        const MOST_BYTES: u64 = 32 << 20;
        const AT_ONCE: usize = 2;
        let kept = moka::future::Cache::builder().max_capacity(MOST_BYTES).weigher(|_, picture: &Bytes| picture.len() as u32).build();
        Self { kept, turns: Arc::new(Semaphore::new(AT_ONCE)) }
    }
}

impl Stills {
    /// The picture of a frame, made by `make` where it is not kept.
    ///
    /// # Errors
    /// What `make` says.
    pub async fn of(&self, film: &str, frame: u64, make: impl AsyncFnOnce() -> Result<Vec<u8>, Problem>) -> Result<Bytes, Problem> {
        let key = (film.to_owned(), frame);
        if let Some(kept) = self.kept.get(&key).await {
            return Ok(kept);
        }
        let _turn = self.turns.acquire().await.map_err(|_| Problem::new(Code::Unavailable, "The server is ending."))?;
        // Somebody may have made it meanwhile.
        if let Some(kept) = self.kept.get(&key).await {
            return Ok(kept);
        }
        let made = Bytes::from(make().await?);
        self.kept.insert(key, made.clone()).await;
        Ok(made)
    }
}
