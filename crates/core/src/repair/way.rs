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
        FreeAndFlatten = "free_and_flatten", "Free it and press it to shape";
        RefitScarf = "refit_scarf", "Refit the scarf";
        NewScarf = "new_scarf", "Cut a new scarf";
        LayerPatch = "layer_patch", "Patch layer by layer";
        Inject = "inject", "Inject and press";
    }
}

impl OptionKind {
    /// Whether the old part, or a length of it, comes out of the boat.
    pub fn takes_out(self) -> bool {
        match self {
            Self::ButtPiece | Self::ScarfPiece | Self::WholePlank | Self::SpliceEnd | Self::NewScarf => true,
            Self::Laminate | Self::Saw | Self::Steam | Self::Reskin | Self::Replace => true,
            Self::Leave | Self::Treat | Self::Graving | Self::PanelPatch | Self::Sister => false,
            Self::FreeAndFlatten | Self::RefitScarf | Self::LayerPatch | Self::Inject => false,
        }
    }

    /// Whether the whole part is made new: nothing of the old one stays.
    pub fn is_whole(self) -> bool {
        matches!(self, Self::WholePlank | Self::Laminate | Self::Saw | Self::Steam | Self::Reskin | Self::Replace)
    }

    /// Whether new wood takes the place of what was found and of no more, while the rest stays.
    pub fn lets_in(self) -> bool {
        matches!(self, Self::Graving | Self::PanelPatch | Self::LayerPatch)
    }

    /// Whether it is glued in.
    pub fn is_glued(self) -> bool {
        match self {
            Self::Graving | Self::ScarfPiece | Self::SpliceEnd | Self::Laminate | Self::PanelPatch => true,
            Self::RefitScarf | Self::NewScarf | Self::LayerPatch | Self::Inject => true,
            Self::Leave | Self::Treat | Self::ButtPiece | Self::WholePlank | Self::Sister => false,
            Self::Saw | Self::Steam | Self::Reskin | Self::Replace | Self::FreeAndFlatten => false,
        }
    }

    /// Years it lasts (*yard rule*, handbook 04): `beside_rot` where soft wood stays in the boat beside it.
    pub fn years(self, beside_rot: bool) -> f64 {
        match self {
            Self::Leave => 3.0,
            Self::Treat => 6.5,
            Self::Sister if beside_rot => 10.0,
            Self::Inject => 15.0,
            Self::FreeAndFlatten | Self::RefitScarf => 20.0,
            Self::Sister | Self::Graving | Self::ButtPiece | Self::ScarfPiece | Self::SpliceEnd => SPLICED_YEARS,
            Self::PanelPatch | Self::NewScarf | Self::LayerPatch => SPLICED_YEARS,
            Self::WholePlank | Self::Laminate | Self::Saw | Self::Steam | Self::Reskin | Self::Replace => NEW_YEARS,
        }
    }
}

/// Years a splice or a let-in piece lasts (*yard rule*).
pub const SPLICED_YEARS: f64 = 30.0;
/// Years a new member lasts (*yard rule*).
pub const NEW_YEARS: f64 = 40.0;
