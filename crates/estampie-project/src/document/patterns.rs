//! Names with stars in them.

/// Whether `text` fits `pattern`, in which `*` is any number of characters within one folder. No star is tried twice for a place, since
/// what stands between two folders' borders can be looked at by itself.
#[must_use]
pub fn matches(pattern: &str, text: &str) -> bool {
    let (pattern, text) = (pattern.as_bytes(), text.as_bytes());
    let (mut p, mut t) = (0, 0);
    // Where the pattern goes on behind the last star, and up to where that star reaches.
    let mut star: Option<(usize, usize)> = None;
    while t < text.len() {
        match pattern.get(p) {
            Some(b'*') => {
                p += 1;
                star = Some((p, t));
            }
            Some(letter) if *letter == text[t] => (p, t) = (p + 1, t + 1),
            _ => match star {
                Some((behind, reach)) if text[reach] != b'/' => {
                    star = Some((behind, reach + 1));
                    (p, t) = (behind, reach + 1);
                }
                _ => return false,
            },
        }
    }
    pattern[p..].iter().all(|letter| *letter == b'*')
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn stars_stand_for_characters_of_one_folder() {
        assert!(matches("audio/step/grate_*.flac", "audio/step/grate_01.flac"));
        assert!(matches("audio/*/grate*.flac", "audio/step/grate_01.flac"));
        assert!(!matches("audio/*.flac", "audio/step/grate_01.flac"));
        assert!(!matches("audio/step/grate_*.flac", "audio/step/plank_01.flac"));
        assert!(matches("audio/*é_*", "audio/pré_1") && matches("a*b*c", "axbxbc") && matches("*", "") && !matches("a*", "b"));
        // As many stars as one likes take no longer.
        let long = "a".repeat(5_000);
        assert!(!matches(&format!("{}b", "*a".repeat(500)), &long) && matches(&format!("{}.flac", "*".repeat(300)), &format!("{long}.flac")));
    }
}
