//! What an administrator may do beyond others (capabilities(7)), and how to do without.

use rustix::thread::{
    CapabilitySet, CapabilitySets, capability_is_in_bounding_set, remove_capability_from_bounding_set, set_capabilities,
};

/// What reading everybody's files needs.
pub(super) const READING: CapabilitySet = CapabilitySet::DAC_OVERRIDE.union(CapabilitySet::DAC_READ_SEARCH);

/// What concerns files and processes alone, which a seal keeps to itself.
pub(super) const OF_FILES: CapabilitySet = READING
    .union(CapabilitySet::CHOWN)
    .union(CapabilitySet::FOWNER)
    .union(CapabilitySet::FSETID)
    .union(CapabilitySet::KILL)
    .union(CapabilitySet::SETGID)
    .union(CapabilitySet::SETUID);

pub(super) fn keep_only(kept: CapabilitySet) -> rustix::io::Result<()> {
    for number in 0..64 {
        let one = CapabilitySet::from_bits_retain(1 << number);
        // Numbers that this kernel does not know are refused.
        if !kept.contains(one) && capability_is_in_bounding_set(one).unwrap_or(false) {
            remove_capability_from_bounding_set(one)?;
        }
    }
    let sets = CapabilitySets { effective: kept, permitted: kept, inheritable: CapabilitySet::empty() };
    set_capabilities(None, sets)
}
