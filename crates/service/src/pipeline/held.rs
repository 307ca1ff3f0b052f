//! Caches in memory that hold so many bytes and let go of the rest at once.

use std::{hash::Hash, sync::Arc};

use quick_cache::{
    DefaultHashBuilder, OptionsBuilder, Weighter,
    sync::{Cache, DefaultLifecycle},
};

/// Such a cache.
pub(super) type Held<K, V> = Cache<K, Arc<V>, Bytes>;

/// What takes memory.
pub(super) trait Weighs {
    /// In bytes.
    fn weight(&self) -> usize;
}

/// Weighs by bytes.
#[derive(Clone)]
pub(super) struct Bytes;

impl<K, V: Weighs> Weighter<K, Arc<V>> for Bytes {
    fn weight(&self, _: &K, value: &Arc<V>) -> u64 {
        value.weight() as u64
    }
}

/// A cache of `bytes` for things of about `usual` bytes, in so many parts. What is larger than a part
/// is not held.
pub(super) fn held<K: Eq + Hash, V: Weighs>(
    bytes: u64,
    usual: u64,
    parts: usize,
) -> Arc<Held<K, V>> {
    let options = OptionsBuilder::new()
        .shards(parts)
        .weight_capacity(bytes)
        .estimated_items_capacity((bytes / usual).max(1) as usize)
        .build();
    // Both numbers are there, which is all that can be wrong with options.
    let options = options.unwrap_or_else(|error| unreachable!("{error}"));
    let (hasher, lifecycle) = (DefaultHashBuilder::default(), DefaultLifecycle::default());
    Arc::new(Cache::with_options(options, Bytes, hasher, lifecycle))
}
