//! What of a boat goes into her dossier, table by table, in the order it is read back: what a row speaks of comes before it.

/// What a column holds where it is more than a plain value.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Holds {
    /// Numbers its row: `n`, from 1 on.
    Own,
    /// The boat: goes without saying.
    Boat,
    /// A row of another table, by its number.
    Of(&'static str),
    /// A person, by name.
    Person,
    /// JSON. A whole number under a key named here is a row of that table, or of nothing that is carried along where the table has no
    /// name; the key `[]` stands for the items of the outer list.
    Json(&'static [(&'static str, &'static str)]),
    /// Made anew where it is read back.
    Left,
    Plain,
}

/// A table of which rows belong to a boat.
#[derive(Debug, Clone, Copy)]
pub(super) struct Table {
    pub name: &'static str,
    /// Which of its rows are the boat's; `?1` is her id.
    pub whose: &'static str,
    special: &'static [(&'static str, Holds)],
}

impl Table {
    #[cfg(test)]
    pub fn special(&self) -> &'static [(&'static str, Holds)] {
        self.special
    }

    /// What a column of it holds.
    pub fn holds(&self, column: &str) -> Holds {
        if let Some((_, holds)) = self.special.iter().find(|(name, _)| *name == column) {
            return *holds;
        }
        match column {
            "id" => Holds::Own,
            "boat_id" => Holds::Boat,
            "member_id" => Holds::Of("member"),
            _ => Holds::Plain,
        }
    }
}

const HERS: &str = "boat_id = ?1";
const JSON: Holds = Holds::Json(&[]);

const fn table(name: &'static str, special: &'static [(&'static str, Holds)]) -> Table {
    Table { name, whose: HERS, special }
}

const fn of(name: &'static str, whose: &'static str, special: &'static [(&'static str, Holds)]) -> Table {
    Table { name, whose, special }
}

/// Boards her pieces were cut from or are reserved on.
const BOARDS: &str = "id IN (SELECT board_id FROM piece WHERE boat_id = ?1)";
const OF_BOARDS: &str = "board_id IN (SELECT board_id FROM piece WHERE boat_id = ?1)";
/// Cuts that are told in her own story.
const CUTS: &str = "board_id IN (SELECT board_id FROM piece WHERE boat_id = ?1) AND event_id IN (SELECT id FROM event WHERE boat_id = ?1)";

/// What a number in an entry of the story is: the key it stands under, and the table. What belongs to the yard and not to the boat
/// (people's accounts, stores) is not carried along.
const IN_THE_STORY: &[(&str, &str)] = &[
    ("account", ""),
    ("board", "board"),
    ("capture", "capture"),
    ("coat", "coat"),
    ("coated", "coated"),
    ("decision", "decision"),
    ("errand", "errand"),
    ("finding", "finding"),
    ("fitting", "fitting"),
    ("given_out", "given_out"),
    ("item", ""),
    ("job", "job"),
    ("joined_to", ""),
    ("line", "line"),
    ("lot", ""),
    ("past_repair", "past_repair"),
    ("piece", "piece"),
    ("plan", "plan"),
    ("quote", "quote"),
    ("reading", "reading"),
    ("record", "fastened"),
    ("region", "refasten"),
    ("sample", "sample_board"),
    ("seam", "seam"),
    ("supersedes", "decision"),
    ("survey", "survey"),
    ("task", "task"),
];

/// Tables of the yard, of which nothing belongs to one boat: they stay where they are.
#[cfg(test)]
pub(super) const OF_THE_YARD: &[&str] = &[
    "account",
    "closed_day",
    "cut_plan",
    "forecast",
    "invite",
    "meter_offset",
    "once_key",
    "owner_link",
    "paper",
    "practice",
    "practice_hull",
    "practice_drill",
    "practice_look",
    "price",
    "recipe",
    "session",
    "shed_log",
    "sign_in",
    "store_item",
    "store_lot",
    "store_move",
    "terms",
    "work_plan",
    "yard",
    "yard_work",
];

/// Species of the yard's own that she or a board of hers is of.
const SPECIES: &str =
    "code IN (SELECT plank_species FROM boat WHERE id = ?1 UNION SELECT frame_species FROM boat WHERE id = ?1
    UNION SELECT species FROM member WHERE boat_id = ?1 UNION SELECT species FROM piece WHERE boat_id = ?1
    UNION SELECT species FROM board WHERE id IN (SELECT board_id FROM piece WHERE boat_id = ?1))";

/// In the order they are read back.
pub(super) const TABLES: &[Table] = &[
    of("species", SPECIES, &[("body", JSON), ("version", Holds::Left), ("removed", Holds::Left)]),
    of("boat", "id = ?1", &[("id", Holds::Left), ("shell", JSON), ("numbering", JSON), ("offsets", JSON)]),
    table("member", &[]),
    table("finding", &[("shape", JSON)]),
    table("reading", &[("finding_id", Holds::Of("finding")), ("measure", JSON)]),
    table("photo", &[("finding_id", Holds::Of("finding")), ("marks", JSON)]),
    table("looked", &[]),
    table("past_repair", &[]),
    table("fitting", &[]),
    table("line", &[("points", JSON)]),
    table("sample_pick", &[("reading_id", Holds::Of("reading"))]),
    table("survey", &[("entries", Holds::Json(&[("id", "finding")])), ("coverage", JSON)]),
    table("capture", &[("body", JSON)]),
    of("board", BOARDS, &[("parent_id", Holds::Of("board")), ("details", JSON)]),
    of("board_photo", OF_BOARDS, &[("board_id", Holds::Of("board"))]),
    of("board_moisture", OF_BOARDS, &[("board_id", Holds::Of("board"))]),
    table("decision", &[("body", Holds::Json(&[("id", "finding")]))]),
    table("piece", &[("decision_id", Holds::Of("decision")), ("board_id", Holds::Of("board")), ("geometry", JSON)]),
    table("job", &[("spec", JSON)]),
    table("task", &[("decision_id", Holds::Of("decision")), ("job_id", Holds::Of("job")), ("cautions", JSON)]),
    of("task_day", "task_id IN (SELECT id FROM task WHERE boat_id = ?1)", &[("task_id", Holds::Of("task"))]),
    // A clock that runs is no booking yet.
    of(
        "clock",
        "stopped_at IS NOT NULL AND task_id IN (SELECT id FROM task WHERE boat_id = ?1)",
        &[("task_id", Holds::Of("task")), ("account_id", Holds::Person)],
    ),
    table("hung", &[("piece_id", Holds::Of("piece"))]),
    table("plan", &[("piece_id", Holds::Of("piece")), ("asked", JSON), ("answer", JSON)]),
    table("coat", &[("plan_id", Holds::Of("plan")), ("laid", JSON)]),
    table("coated", &[]),
    of("coat_seen", "coated_id IN (SELECT id FROM coated WHERE boat_id = ?1)", &[("coated_id", Holds::Of("coated"))]),
    table("berth", &[]),
    table("refasten", &[]),
    of(
        "refasten_done",
        "refasten_id IN (SELECT id FROM refasten WHERE boat_id = ?1)",
        &[("refasten_id", Holds::Of("refasten"))],
    ),
    table("fastened", &[]),
    table("crossing_holes", &[("holes", JSON)]),
    table("metal_item", &[("joined_to", Holds::Of("metal_item"))]),
    table("bolted", &[("body", JSON), ("first_by", Holds::Person), ("second_by", Holds::Person)]),
    table("sample_board", &[]),
    table("seam_ways", &[]),
    table("seam", &[]),
    of("seam_step", "seam_id IN (SELECT id FROM seam WHERE boat_id = ?1)", &[("seam_id", Holds::Of("seam"))]),
    table("opening", &[]),
    table("launch", &[]),
    table("launch_ready", &[]),
    table("launch_log", &[]),
    table("errand", &[]),
    table(
        "event",
        &[
            ("corrects", Holds::Of("event")),
            ("body", Holds::Json(IN_THE_STORY)),
            ("prev_hash", Holds::Left),
            ("hash", Holds::Left),
        ],
    ),
    of(
        "board_cut",
        CUTS,
        &[
            ("board_id", Holds::Of("board")),
            ("event_id", Holds::Of("event")),
            ("pieces", Holds::Json(&[("piece", "piece")])),
            ("offcuts", Holds::Json(&[("[]", "board")])),
        ],
    ),
    table("given_out", &[]),
    table("quote", &[("body", Holds::Json(&[("decision", "decision"), ("finding", "finding"), ("member", "member")]))]),
    table("quote_word", &[("quote_id", Holds::Of("quote")), ("decision_id", Holds::Of("decision"))]),
    table("owner_note", &[]),
];
