//! trees
