//! Bytes that many hold and nobody changes.

use std::ops::Deref;
use std::sync::Arc;

use serde::{Deserialize, Deserializer, Serialize, Serializer};

/// Bytes of the cache; a clone holds the same ones.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(crate) struct Bytes(Arc<[u8]>);

impl From<Vec<u8>> for Bytes {
    fn from(bytes: Vec<u8>) -> Self {
        Self(bytes.into())
    }
}

impl Deref for Bytes {
    type Target = [u8];

    fn deref(&self) -> &[u8] {
        &self.0
    }
}

impl Serialize for Bytes {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        serde_bytes::serialize(&*self.0, to)
    }
}

impl<'de> Deserialize<'de> for Bytes {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        let bytes: &'de [u8] = serde_bytes::deserialize(from)?;
        Ok(Self(bytes.into()))
    }
}
