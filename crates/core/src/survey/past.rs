//! Repairs done before: what was done, how well, and what it hides.

use crate::choice::choices;

choices! {
    /// What was done.
    PastKind {
        Patch = "patch", "Graving piece or patch";
        Scarf = "scarf", "Scarfed length";
        ButtBlock = "butt_block", "Butt block";
        NewPlank = "new_plank", "Plank renewed";
        Sister = "sister", "Sister frame";
        NewFrame = "new_frame", "Frame renewed";
        Refastened = "refastened", "Refastened";
        Filler = "filler", "Filler";
        RigidSeam = "rigid_seam", "Rigid filler in a seam";
        Sheathing = "sheathing", "Sheathed over";
        Plate = "plate", "Metal plate";
        Sealant = "sealant", "Sealant smeared over";
        Other = "other", "Something else";
    }
}

choices! {
    /// How well it serves.
    Quality {
        Good = "good", "Good";
        Fair = "fair", "Fair";
        Poor = "poor", "Poor";
        Harmful = "harmful", "Does harm";
    }
}

impl PastKind {
    /// What one should look for behind it.
    pub fn look_behind(self) -> &'static str {
        match self {
            Self::Patch | Self::Scarf | Self::NewPlank => "Sound the old wood round its edges.",
            Self::ButtBlock => "Look for rot between block and plank; a flat block on a curved plank pulls it flat.",
            Self::Sister | Self::NewFrame => "The old frame beside it: was it left to hold anything?",
            Self::Refastened => "Count the holes: more fastenings may have weakened the plank.",
            Self::Filler | Self::Sealant => "Open it: it may cover soft wood and hold water.",
            Self::RigidSeam => "The edges beside it crush, planks buckle when she takes up.",
            Self::Sheathing => "Wood under a sheathing rots unseen: bore or lift an edge.",
            Self::Plate => "Dissimilar metals, and the wood behind it.",
            Self::Other => "Say in the note what it is.",
        }
    }
}
