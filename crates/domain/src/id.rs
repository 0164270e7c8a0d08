//! Numbers of things that are kept. Each kind has a type of its own, so that an original's number is never taken for a job's.

use std::fmt;

use serde::de::Error as _;
use serde::{Deserialize, Deserializer, Serialize};
use thiserror::Error;

/// The largest number that is given out or read: what a signed 64-bit integer holds, as other programs read numbers into one.
pub const LARGEST: u64 = i64::MAX as u64;

/// A number under which nothing can be kept.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Error)]
#[error("{0} is no number of anything: they go from 1 to {LARGEST}")]
pub struct IdError(pub u64);

macro_rules! ids {
    ($($(#[$says:meta])* $name:ident)*) => {$(
        $(#[$says])*
        #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
        #[cfg_attr(feature = "sql", derive(sqlx::Type), sqlx(transparent))]
        #[serde(transparent)]
        pub struct $name(u64);

        impl $name {
            /// What the database gave out.
            pub const fn new(number: u64) -> Self {
                Self(number)
            }

            /// As it is kept.
            pub const fn get(self) -> u64 {
                self.0
            }
        }

        impl From<u64> for $name {
            /// What the database gave out.
            fn from(number: u64) -> Self {
                Self(number)
            }
        }

        /// Whatever a stranger sends may be no number of anything.
        impl<'de> Deserialize<'de> for $name {
            fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
                let number = u64::deserialize(deserializer)?;
                if (1..=LARGEST).contains(&number) { Ok(Self(number)) } else { Err(D::Error::custom(IdError(number))) }
            }
        }

        impl fmt::Display for $name {
            fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                self.0.fmt(f)
            }
        }

        #[cfg(feature = "schema")]
        impl utoipa::PartialSchema for $name {
            fn schema() -> utoipa::openapi::RefOr<utoipa::openapi::schema::Schema> {
                schema()
            }
        }

        #[cfg(feature = "schema")]
        impl utoipa::ToSchema for $name {}
    )*};
}

#[cfg(feature = "schema")]
fn schema() -> utoipa::openapi::RefOr<utoipa::openapi::schema::Schema> {
    use utoipa::openapi::schema::{KnownFormat, ObjectBuilder, SchemaFormat, Type};
    let integer = ObjectBuilder::new()
        .schema_type(Type::Integer)
        .format(Some(SchemaFormat::KnownFormat(KnownFormat::Int64)))
        .minimum(Some(1_u64))
        .maximum(Some(LARGEST));
    integer.into()
}

ids! {
    /// Of an order.
    OrderId
    /// Of an original.
    OriginalId
    /// Of a job.
    JobId
    /// Of an enlargement.
    ResultId
    /// Of a house treatment.
    HouseId
    /// Of a product.
    ProductId
    /// Of a link by which a client sees an order.
    LinkId
    /// Of a decision among treatments.
    DecisionId
    /// Of a printing.
    PrintingId
}

#[cfg(test)]
mod tests {
    use rstest::rstest;

    use super::*;

    #[rstest]
    #[case(1, true)]
    #[case(LARGEST, true)]
    #[case(0, false)]
    #[case(LARGEST + 1, false)]
    #[case(u64::MAX, false)]
    fn numbers_are_those_that_can_be_given_out(#[case] number: u64, #[case] read: bool) {
        assert_eq!(serde_json::from_value::<OrderId>(number.into()).is_ok(), read);
        assert_eq!(serde_json::to_value(OrderId::new(number)).unwrap(), number);
    }
}
