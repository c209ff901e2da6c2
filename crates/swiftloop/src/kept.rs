//! The catalogue that is asked for, or this user's: read when it is needed, written after each processor.

use crate::cli::CatalogueFile;
use crate::failure::Failure;
use std::path::PathBuf;
use swiftloop_core::catalogue::{Catalogue, Entry};
use swiftloop_files::{add_to_catalogue, catalogue_of_user, read_catalogue};

/// A catalogue with its place.
pub struct Kept {
    pub path: Option<PathBuf>,
    pub catalogue: Catalogue,
}

impl Kept {
    pub fn read(named: &CatalogueFile) -> Result<Self, Failure> {
        let path = named.catalogue.clone().or_else(catalogue_of_user);
        let catalogue = path.as_deref().map(read_catalogue).transpose()?.unwrap_or_default();
        Ok(Self { path, catalogue })
    }

    /// Puts in what was weighed, and writes all of it: whoever stops here goes on from here.
    pub fn put(&mut self, entry: Entry) -> Result<(), Failure> {
        match &self.path {
            Some(path) => self.catalogue = add_to_catalogue(path, entry)?,
            None => self.catalogue.put(entry),
        }
        Ok(())
    }
}
