//! Sounds in a bucket that several servers share.

use object_store::ObjectStore;
use std::io;
use std::sync::Arc;

/// A bucket by its address, with what the environment says of keys and of where it is (the names are those of AWS).
#[cfg(feature = "s3")]
pub(super) fn bucket(url: &str) -> io::Result<Arc<dyn ObjectStore>> {
    use object_store::{aws::AmazonS3Builder, prefix::PrefixStore};
    // Told once a process.
    let _ = rustls::crypto::ring::default_provider().install_default();
    let prefix = url.strip_prefix("s3://").and_then(|rest| rest.split_once('/')).map_or("", |(_, prefix)| prefix.trim_matches('/'));
    let plain = std::env::var("AWS_ENDPOINT").is_ok_and(|endpoint| endpoint.starts_with("http://"));
    let store = AmazonS3Builder::from_env().with_url(url).with_allow_http(plain).build().map_err(io::Error::other)?;
    Ok(if prefix.is_empty() { Arc::new(store) } else { Arc::new(PrefixStore::new(store, prefix)) })
}

#[cfg(not(feature = "s3"))]
pub(super) fn bucket(url: &str) -> io::Result<Arc<dyn ObjectStore>> {
    Err(io::Error::other(format!("{url}: this program was built without buckets; build it with --features jaunty-server/full")))
}
