//! Pipes with larger buffers than they come with.

/// The buffer of a pipe, in bytes: the most that a system gives to everyone unless it was told otherwise.
#[cfg(target_os = "linux")]
const SPACE: usize = 1 << 20;

/// Gives standard input and output larger buffers where they are pipes: the programs at their two ends then wait for each
/// other less often. Where that is not to be had, they stay as they are.
#[cfg(target_os = "linux")]
pub fn widen() {
    let _ = rustix::pipe::fcntl_setpipe_size(std::io::stdin(), SPACE);
    let _ = rustix::pipe::fcntl_setpipe_size(std::io::stdout(), SPACE);
}

/// Other systems have no such call.
#[cfg(not(target_os = "linux"))]
pub fn widen() {}
