use super::Text;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// The disk under the install.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(default)]
pub struct Storage {
    /// File system of `/`, from `etc/fstab`.
    pub root_fs: Option<Text>,
    /// Swap: partition, file, compressed memory, or none.
    pub swap: Option<Text>,
    /// Sum of file sizes, where they were counted.
    pub bytes_by_files: Option<u64>,
}
