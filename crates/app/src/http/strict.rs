//! JSON in which an object is an object.
//!
//! Serde takes a list for a struct with its fields in order, and an empty list for one that leaves all
//! of them out: that would blank what is kept.

use serde::de::value::{MapDeserializer, SeqDeserializer};
use serde::de::{Deserializer, Error as _, IntoDeserializer, Unexpected, Visitor};
use serde::forward_to_deserialize_any;
use serde_json::{Error, Value};

/// A document that is read as it is written.
#[derive(Debug, Clone, Copy)]
pub(super) struct Strict<'de>(pub(super) &'de Value);

impl<'de> IntoDeserializer<'de, Error> for Strict<'de> {
    type Deserializer = Self;

    fn into_deserializer(self) -> Self {
        self
    }
}

impl<'de> Deserializer<'de> for Strict<'de> {
    type Error = Error;

    fn deserialize_any<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, Error> {
        match self.0 {
            Value::Array(list) => {
                let mut list = SeqDeserializer::new(list.iter().map(Strict));
                let read = visitor.visit_seq(&mut list)?;
                list.end().map(|()| read)
            }
            Value::Object(fields) => {
                let fields = fields.iter().map(|(name, value)| (name.as_str(), Strict(value)));
                let mut fields = MapDeserializer::new(fields);
                let read = visitor.visit_map(&mut fields)?;
                fields.end().map(|()| read)
            }
            plain => plain.deserialize_any(visitor),
        }
    }

    fn deserialize_struct<V: Visitor<'de>>(
        self,
        name: &'static str,
        fields: &'static [&'static str],
        visitor: V,
    ) -> Result<V::Value, Error> {
        match self.0 {
            Value::Object(_) => self.deserialize_any(visitor),
            Value::Array(_) => Err(Error::invalid_type(Unexpected::Seq, &"an object")),
            other => other.deserialize_struct(name, fields, visitor),
        }
    }

    fn deserialize_option<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, Error> {
        match self.0 {
            Value::Null => visitor.visit_none(),
            _ => visitor.visit_some(self),
        }
    }

    fn deserialize_newtype_struct<V: Visitor<'de>>(
        self,
        _: &'static str,
        visitor: V,
    ) -> Result<V::Value, Error> {
        visitor.visit_newtype_struct(self)
    }

    fn deserialize_enum<V: Visitor<'de>>(
        self,
        name: &'static str,
        variants: &'static [&'static str],
        visitor: V,
    ) -> Result<V::Value, Error> {
        self.0.deserialize_enum(name, variants, visitor)
    }

    forward_to_deserialize_any! {
        bool i8 i16 i32 i64 i128 u8 u16 u32 u64 u128 f32 f64 char str string bytes byte_buf unit
        unit_struct seq tuple tuple_struct map identifier ignored_any
    }
}
