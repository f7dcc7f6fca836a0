//! Names that somebody may have meant.

const MOST: usize = 3;

/// The names that one or two slips of the hand make of this one, nearest first.
pub fn similar(name: &str, all: impl IntoIterator<Item = String>) -> Vec<String> {
    let most = match name.chars().count() {
        0 | 1 => return Vec::new(),
        2 | 3 => 1,
        _ => 2,
    };
    let distance = |other: &String| strsim::osa_distance(&name.to_lowercase(), &other.to_lowercase());
    let near = all.into_iter().map(|other| (distance(&other), other));
    let mut near: Vec<(usize, String)> = near.filter(|(distance, _)| (1..=most).contains(distance)).collect();
    near.sort();
    near.into_iter().take(MOST).map(|(_, name)| name).collect()
}

/// The same as the question of an error; none where nothing is similar.
pub fn did_you_mean(name: &str, all: impl IntoIterator<Item = String>) -> Option<String> {
    let similar = similar(name, all);
    (!similar.is_empty()).then(|| format!("did you mean {}?", similar.join(" or ")))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_nearest_come_first() {
        let all = || ["tidelog", "tidelogc", "shoal", "tl"].map(str::to_owned);
        assert_eq!(similar("tideolg", all()), ["tidelog", "tidelogc"]);
        assert_eq!(similar("tt", all()), ["tl"]);
        assert!(similar("", all()).is_empty() && similar("harbour", all()).is_empty());
        assert_eq!(did_you_mean("shaol", all()).as_deref(), Some("did you mean shoal?"));
        assert_eq!(did_you_mean("harbour", all()), None);
    }
}
