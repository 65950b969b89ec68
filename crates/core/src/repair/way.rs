//! The ways of repair: what can be done with a damaged member. Deciding ranks them, work turns them into tasks.

use crate::choice::choices;

choices! {
    /// A way to deal with a damaged member.
    OptionKind {
        Leave = "leave", "Leave and watch";
        Treat = "treat", "Treat";
        Graving = "graving", "Graving piece";
        ButtPiece = "butt_piece", "Part plank with butts";
        ScarfPiece = "scarf_piece", "Part with scarfs";
        WholePlank = "whole_plank", "Whole plank";
        Sister = "sister", "Sister";
        SpliceEnd = "splice_end", "Splice the end";
        Laminate = "laminate", "Laminate new";
        Saw = "saw", "Saw new";
        Steam = "steam", "Steam new";
        PanelPatch = "panel_patch", "Scarfed patch";
        Reskin = "reskin", "Re-skin";
        Replace = "replace", "Replace whole";
    }
}

impl OptionKind {
    /// Whether the old part, or a length of it, comes out of the boat.
    pub fn takes_out(self) -> bool {
        !matches!(self, Self::Leave | Self::Treat | Self::Graving | Self::PanelPatch | Self::Sister)
    }

    /// Whether it is glued in.
    pub fn is_glued(self) -> bool {
        matches!(self, Self::Graving | Self::ScarfPiece | Self::SpliceEnd | Self::Laminate | Self::PanelPatch)
    }
}
