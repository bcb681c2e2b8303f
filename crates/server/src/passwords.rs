//! Passwords that are tried first: a list that ships, and what stands behind many of them.

const COMMON: &str = include_str!("../data/common-passwords.txt");

/// Is this one that others try first? `near`: names that belong to the person or the shop.
pub fn too_common(password: &str, near: &[&str]) -> bool {
    let plain = fold(password);
    let bare = plain.trim_matches(|c: char| !c.is_alphabetic());
    let listed = |word: &str| COMMON.lines().any(|l| l == word);
    if listed(&plain) || listed(bare) {
        return true;
    }
    // the same over and over: “aaaaaaaaaa”, “abcabcabcabc”
    let letters: Vec<char> = plain.chars().collect();
    let repeats = |n: usize| {
        letters
            .iter()
            .enumerate()
            .all(|(k, c)| *c == letters[k % n])
    };
    if (1..=letters.len() / 2).any(repeats) {
        return true;
    }
    // a row of the alphabet, the figures or the keyboard, either way
    let rows = [
        "abcdefghijklmnopqrstuvwxyz",
        "01234567890",
        "qwertyuiop",
        "qwertzuiop",
        "asdfghjkl",
        "zxcvbnm",
        "yxcvbnm",
    ];
    let back: String = plain.chars().rev().collect();
    if rows.iter().any(|r| r.contains(&plain) || r.contains(&back)) {
        return true;
    }
    // a name with some figures
    near.iter().map(|n| fold(n)).any(|name| {
        let name: String = name.chars().filter(|c| c.is_alphanumeric()).collect();
        let joined: String = bare.chars().filter(|c| c.is_alphanumeric()).collect();
        name.chars().count() >= 3 && (joined == name || joined.trim_start_matches(&name).is_empty())
    })
}

/// Lower case, and the figures that are written for letters as the letters.
fn fold(password: &str) -> String {
    let lower = password.to_lowercase();
    let letters = lower.chars().any(char::is_alphabetic);
    lower
        .chars()
        .map(|c| match c {
            '@' if letters => 'a',
            '$' if letters => 's',
            c => c,
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_tried_first_is_refused_and_words_are_not() {
        for bad in [
            "password123",
            "P@ssword2024!",
            "1234567890",
            "0987654321",
            "qwertyuiop",
            "aaaaaaaaaaaa",
            "abcabcabcabc",
            "Ilse Dorn 1999",
            "tidewheelrepairs",
            "iloveyou2000",
            "letmein!!!!!",
        ] {
            assert!(
                too_common(bad, &["Ilse Dorn", "Tidewheel repairs"]),
                "{bad}"
            );
        }
        for good in [
            "salt-and-copper",
            "four wet stone lamps",
            "ilse rides to the harbour",
            "9f3kd82hs0ql",
        ] {
            assert!(
                !too_common(good, &["Ilse Dorn", "Tidewheel repairs"]),
                "{good}"
            );
        }
    }
}
