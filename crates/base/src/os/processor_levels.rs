//! The levels of the x86-64 processor family.

/// Those that this processor has, a bit for each, the first for what all have (x86-64 psABI, "Micro-Architecture Levels");
/// none on other processors.
#[cfg(target_arch = "x86_64")]
pub fn processor_levels() -> u32 {
    use std::arch::is_x86_feature_detected as has;
    let second =
        has!("cmpxchg16b") && has!("popcnt") && has!("sse3") && has!("sse4.1") && has!("sse4.2") && has!("ssse3");
    let third = has!("avx")
        && has!("avx2")
        && has!("bmi1")
        && has!("bmi2")
        && has!("f16c")
        && has!("fma")
        && has!("lzcnt")
        && has!("movbe")
        && has!("xsave");
    let fourth = has!("avx512f") && has!("avx512bw") && has!("avx512cd") && has!("avx512dq") && has!("avx512vl");
    let levels = [true, second, second && third, second && third && fourth];
    levels.iter().enumerate().map(|(at, has)| u32::from(*has) << at).sum()
}

#[cfg(not(target_arch = "x86_64"))]
pub fn processor_levels() -> u32 {
    0
}
