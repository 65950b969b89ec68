//! Closed lists that people choose from: each choice has a code for storage and a label for the screen.

macro_rules! choices {
    ($(#[$doc:meta])* $name:ident { $($(#[$vdoc:meta])* $variant:ident = $code:literal, $label:literal;)* }) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, serde::Serialize, serde::Deserialize)]
        pub enum $name { $($(#[$vdoc])* #[serde(rename = $code)] $variant),* }

        impl $name {
            pub const ALL: &'static [Self] = &[$(Self::$variant),*];

            pub fn code(self) -> &'static str {
                match self { $(Self::$variant => $code),* }
            }

            pub fn label(self) -> &'static str {
                match self { $(Self::$variant => $label),* }
            }

            /// The choice stored under this code.
            pub fn from_code(code: &str) -> Option<Self> {
                Self::ALL.iter().copied().find(|c| c.code() == code)
            }
        }

        impl TryFrom<String> for $name {
            type Error = crate::InputError;

            fn try_from(code: String) -> Result<Self, Self::Error> {
                Self::from_code(&code).ok_or_else(|| crate::InputError::new("", format!("“{code}” is not one of the choices")))
            }
        }
    };
}

pub(crate) use choices;
