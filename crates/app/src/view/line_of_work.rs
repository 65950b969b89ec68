//! The nine steps of the work, as every page inside a boat shows them.

/// The main line inside a boat.
#[derive(Debug, Clone)]
pub struct BoatBar {
    pub id: i64,
    pub name: String,
    pub stages: Vec<Stage>,
    /// Decisions taken against a rule: part, what was decided, and why.
    pub overruled: Vec<(String, &'static str, String)>,
}

impl BoatBar {
    /// The step a page belongs to, by its own name.
    pub fn here(&self, active: &str) -> &'static str {
        self.stages.iter().find(|s| s.key == active).map_or("Map", |s| s.label)
    }
}

#[derive(Debug, Clone)]
pub struct Stage {
    pub key: &'static str,
    pub label: &'static str,
    /// What is still open there.
    pub open: usize,
}
