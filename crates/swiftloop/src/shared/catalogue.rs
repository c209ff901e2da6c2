//! The catalogue that is asked for, or this user's: read when it is needed, written after each processor.

use crate::shared::failure::Failure;
use crate::shared::options::CatalogueFile;
use std::path::PathBuf;
use swiftloop_core::catalogue::Catalogue;
use swiftloop_files::{catalogue_of_user, read_catalogue};

/// A catalogue with its place.
pub struct UserCatalogue {
    #[cfg_attr(not(target_os = "linux"), allow(dead_code, reason = "processors are weighed on Linux"))]
    pub path: Option<PathBuf>,
    pub catalogue: Catalogue,
}

impl UserCatalogue {
    pub fn read(named: &CatalogueFile) -> Result<Self, Failure> {
        let path = named.catalogue.clone().or_else(catalogue_of_user);
        let catalogue = path.as_deref().map(read_catalogue).transpose()?.unwrap_or_default();
        Ok(Self { path, catalogue })
    }

    /// Puts in what was weighed, and writes all of it: whoever stops here goes on from here.
    #[cfg(target_os = "linux")]
    pub fn put(&mut self, entry: swiftloop_core::catalogue::Entry) -> Result<(), Failure> {
        match &self.path {
            Some(path) => self.catalogue = swiftloop_files::add_to_catalogue(path, entry)?,
            None => self.catalogue.put(entry),
        }
        Ok(())
    }
}
