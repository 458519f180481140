//! Places in lists, each of its own type: what is the third part is not the third monitor.

/// A place in a list, with what it is a place of.
///
/// Four bytes, since tables keep many of them. A list of more than 2³² things fits no memory this runs in.
#[macro_export]
macro_rules! index {
    ($($(#[$doc:meta])* $name:ident),+ $(,)?) => {$(
        $(#[$doc])*
        #[derive(
            Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash,
            serde::Serialize, serde::Deserialize,
        )]
        #[serde(transparent)]
        pub struct $name(pub u32);

        impl From<usize> for $name {
            fn from(at: usize) -> Self {
                Self(at as u32)
            }
        }
        impl From<$name> for usize {
            fn from(at: $name) -> Self {
                at.0 as usize
            }
        }
        impl $name {
            /// As a plain number, from nought.
            pub fn at(self) -> usize {
                self.0 as usize
            }
        }
        impl std::fmt::Display for $name {
            fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                self.0.fmt(f)
            }
        }
    )+};
}

index! {
    /// A part, in the order of the vehicle file.
    PartIx,
    /// A monitor, in the order of the vehicle file.
    MonitorIx,
    /// A conductor, in the order of the vehicle file.
    WireIx,
    /// A ground point, in the order of the vehicle file.
    GroundIx,
    /// A signal, in the order of the vehicle file.
    SignalIx,
    /// An output, in the order of the vehicle file.
    OutputIx,
}
