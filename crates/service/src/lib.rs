//! The long-running Kivet service: shelves, pipeline, HTTP.
