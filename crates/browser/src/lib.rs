//! An installed Chromium driven over DevTools, for measuring pages and for end-to-end tests.
