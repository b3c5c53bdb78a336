//! Larger pipe buffers.

#[cfg(target_os = "linux")]
const SPACE: usize = 1 << 20;

/// Enlarges the buffers of standard input and output if they are pipes, so that the programs at both ends wait less. Failures are
/// ignored.
#[cfg(target_os = "linux")]
pub fn widen() {
    let _ = rustix::pipe::fcntl_setpipe_size(std::io::stdin(), SPACE);
    let _ = rustix::pipe::fcntl_setpipe_size(std::io::stdout(), SPACE);
}

/// Other systems have no such call.
#[cfg(not(target_os = "linux"))]
pub fn widen() {}
