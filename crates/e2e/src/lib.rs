//! Browser tests; they live in `tests/`.
