//! Editions of what is handed over: who reads what. Source: handbook 11.

use crate::choice::choices;

choices! {
    /// Whom a dossier is printed for.
    Edition {
        Yard = "yard", "The yard";
        Owner = "owner", "The owner";
        Family = "family", "Family and public";
        Surveyor = "surveyor", "A surveyor";
    }
}

impl Edition {
    /// Money and hours stand in it.
    pub fn has_money(self) -> bool {
        matches!(self, Self::Yard | Self::Owner)
    }

    /// Names of people stand in it without being allowed one by one.
    pub fn has_names(self) -> bool {
        !matches!(self, Self::Family)
    }

    /// Who worked how long stands in it.
    pub fn has_hours_by_name(self) -> bool {
        matches!(self, Self::Yard)
    }

    /// What is said of it in one sentence.
    pub fn says(self) -> &'static str {
        match self {
            Self::Yard => "Everything there is.",
            Self::Owner => "Her work with its reasons and its money; nobody’s hours by name.",
            Self::Family => "Her story, without money, and without names but those allowed.",
            Self::Surveyor => "Findings, readings, what was and was not looked at, and the limits of it.",
        }
    }
}

/// A name as an edition prints it: those that are allowed stay; anybody else is somebody.
pub fn name<'n>(edition: Edition, name: &'n str, allowed: &[String]) -> &'n str {
    let is_allowed = || allowed.iter().any(|a| a.trim().eq_ignore_ascii_case(name.trim()));
    if edition.has_names() || name.is_empty() || is_allowed() { name } else { "somebody of the yard" }
}

/// A text as an edition prints it: names in it that are not allowed are put another way, longest first.
pub fn text(edition: Edition, text: &str, people: &[String], allowed: &[String]) -> String {
    if edition.has_names() {
        return text.to_owned();
    }
    let mut hidden: Vec<&String> =
        people.iter().filter(|p| !p.trim().is_empty() && name(edition, p, allowed) != p.as_str()).collect();
    hidden.sort_by_key(|p| std::cmp::Reverse(p.len()));
    hidden.into_iter().fold(text.to_owned(), |text, p| text.replace(p.as_str(), "somebody of the yard"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_familys_edition_has_neither_money_nor_names_but_those_allowed() {
        let allowed = ["Ada Brook".to_owned()];
        assert!(!Edition::Family.has_money() && !Edition::Surveyor.has_money());
        assert_eq!(name(Edition::Family, "Ada Brook", &allowed), "Ada Brook");
        assert_eq!(name(Edition::Family, "ada brook ", &allowed), "ada brook ");
        assert_eq!(name(Edition::Family, "Jonas Pell", &allowed), "somebody of the yard");
        assert_eq!(name(Edition::Owner, "Jonas Pell", &[]), "Jonas Pell");
        assert_eq!(name(Edition::Family, "", &[]), "");
        let people = ["Jonas Pell".to_owned(), "Jonas".to_owned(), "Ada Brook".to_owned(), " ".to_owned()];
        let told = text(Edition::Family, "Jonas Pell and Ada Brook found it; Jonas cut it out.", &people, &allowed);
        assert_eq!(told, "somebody of the yard and Ada Brook found it; somebody of the yard cut it out.");
        assert_eq!(text(Edition::Yard, "Jonas Pell", &people, &[]), "Jonas Pell");
    }

    #[test]
    fn only_the_yard_reads_who_worked_how_long() {
        let who: Vec<Edition> = Edition::ALL.iter().copied().filter(|e| e.has_hours_by_name()).collect();
        assert_eq!(who, [Edition::Yard]);
    }
}
