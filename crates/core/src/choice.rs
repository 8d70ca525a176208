//! Closed lists of words that stand in the case file with one id and on screens with one label.

macro_rules! choice {
    ($(#[$doc:meta])* $name:ident { $($(#[$vdoc:meta])* $variant:ident = $id:literal : $label:literal),+ $(,)? }) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, serde::Serialize, serde::Deserialize, schemars::JsonSchema)]
        #[serde(rename_all = "snake_case")]
        pub enum $name { $($(#[$vdoc])* $variant),+ }
        impl $name {
            /// Every choice with its id in the case file and its label on a screen.
            pub const ALL: &'static [(Self, &'static str, &'static str)] = &[$((Self::$variant, $id, $label)),+];
            /// The id in the case file.
            pub const fn id(self) -> &'static str { match self { $(Self::$variant => $id),+ } }
            /// The label on a screen.
            pub const fn label(self) -> &'static str { match self { $(Self::$variant => $label),+ } }
        }
    };
}
pub(crate) use choice;
