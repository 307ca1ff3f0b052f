//! Records in SQLite and rendition bytes in a blob store.
