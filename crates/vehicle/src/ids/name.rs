//! Names of things in the vehicle file, each of its own type: a place is no part, whatever it is called.

/// A name as the vehicle file has it. It is a string wherever it is written, and reads as one.
macro_rules! names {
    ($($(#[$doc:meta])* $name:ident),+ $(,)?) => {$(
        $(#[$doc])*
        #[derive(
            Debug, Clone, Default, PartialEq, Eq, Hash, PartialOrd, Ord,
            serde::Serialize, serde::Deserialize,
        )]
        #[serde(transparent)]
        pub struct $name(String);

        impl $name {
            /// As text.
            pub fn as_str(&self) -> &str {
                &self.0
            }
        }
        impl std::ops::Deref for $name {
            type Target = str;
            fn deref(&self) -> &str {
                &self.0
            }
        }
        impl std::borrow::Borrow<str> for $name {
            fn borrow(&self) -> &str {
                &self.0
            }
        }
        impl AsRef<str> for $name {
            fn as_ref(&self) -> &str {
                &self.0
            }
        }
        impl std::fmt::Display for $name {
            fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.pad(&self.0)
            }
        }
        impl From<&str> for $name {
            fn from(text: &str) -> Self {
                Self(text.to_owned())
            }
        }
        impl From<&String> for $name {
            fn from(text: &String) -> Self {
                Self(text.clone())
            }
        }
        impl From<String> for $name {
            fn from(text: String) -> Self {
                Self(text)
            }
        }
        impl From<$name> for String {
            fn from(name: $name) -> Self {
                name.0
            }
        }
        impl PartialEq<str> for $name {
            fn eq(&self, other: &str) -> bool {
                self.0 == other
            }
        }
        impl PartialEq<&str> for $name {
            fn eq(&self, other: &&str) -> bool {
                self.0 == *other
            }
        }
        impl PartialEq<String> for $name {
            fn eq(&self, other: &String) -> bool {
                self.0 == *other
            }
        }
        impl PartialEq<$name> for str {
            fn eq(&self, other: &$name) -> bool {
                *self == other.0
            }
        }
        impl PartialEq<$name> for &str {
            fn eq(&self, other: &$name) -> bool {
                **self == other.0
            }
        }
        impl PartialEq<$name> for String {
            fn eq(&self, other: &$name) -> bool {
                *self == other.0
            }
        }
        impl schemars::JsonSchema for $name {
            fn inline_schema() -> bool {
                true
            }
            fn schema_name() -> std::borrow::Cow<'static, str> {
                String::schema_name()
            }
            fn json_schema(of: &mut schemars::SchemaGenerator) -> schemars::Schema {
                String::json_schema(of)
            }
        }
        impl utoipa::PartialSchema for $name {
            fn schema() -> utoipa::openapi::RefOr<utoipa::openapi::schema::Schema> {
                String::schema()
            }
        }
        impl utoipa::ToSchema for $name {}
    )+};
}

names! {
    /// A part, modules among them: `M7`.
    PartId,
    /// A conductor, by its circuit number: `62`.
    WireId,
    /// A connector, or the socket of a part that has none, named like the part: `C4`, `K9`.
    ConnectorId,
    /// A cavity of a connector, or a pin in a socket: `C4.7`, `F12.1`.
    CavityId,
    /// A splice or bus bar: `J1`.
    SpliceId,
    /// A ground point: `G2`.
    GroundId,
    /// A place in the vehicle: `tailgate`.
    PlaceId,
    /// A value that a module works out: `wiper_switch_volts`.
    SignalId,
    /// An output that a module drives: `rear_washer`.
    OutputId,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_is_written_as_text_and_found_by_it() {
        let id = PartId::from("M7");
        assert_eq!(serde_json::to_value(&id).unwrap(), "M7");
        assert_eq!(serde_json::from_str::<PartId>("\"M7\"").unwrap(), id);
        assert_eq!(std::collections::BTreeSet::from([id.clone()]).get("M7"), Some(&id));
        assert_eq!(format!("{id:>4}|{id}"), "  M7|M7");
        assert!("M7" == id && id != *"M8");
    }
}
