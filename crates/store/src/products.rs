//! Products: the prints that are sold, as a list that a person edits.

use dettaglio_domain::id::ProductId;
use dettaglio_domain::recipe::Ticket;
use serde::{Deserialize, Serialize};

use crate::{Store, StoreError, from_text, to_text};

/// A print that is sold.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Product {
    /// What it is called; one of the same name is replaced.
    pub name: String,
    /// What is printed.
    pub print: Ticket,
    /// Pictures whose own pixels give less ppi on it are pointed out before a run.
    #[serde(default)]
    pub least_ppi: Option<f64>,
}

/// A product in the list.
#[derive(Clone, Debug)]
pub struct ProductRow {
    /// Its number.
    pub id: ProductId,
    /// What it is.
    pub product: Product,
}

impl Store {
    /// All products by name.
    pub async fn products(&self) -> Result<Vec<ProductRow>, StoreError> {
        let rows =
            sqlx::query!("SELECT id, name, print, least_ppi FROM products ORDER BY name").fetch_all(&self.pool).await?;
        rows.into_iter()
            .map(|row| {
                let print = from_text("product", &row.print)?;
                Ok(ProductRow {
                    id: row.id.into(),
                    product: Product { name: row.name, print, least_ppi: row.least_ppi },
                })
            })
            .collect()
    }

    /// Puts a product into the list.
    pub async fn set_product(&self, product: &Product) -> Result<(), StoreError> {
        sqlx::query!(
            "INSERT INTO products (name, print, least_ppi) VALUES (?, ?, ?)
             ON DUPLICATE KEY UPDATE print = VALUES(print), least_ppi = VALUES(least_ppi)",
            product.name,
            to_text(&product.print),
            product.least_ppi
        )
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Takes a product off the list; orders that were made with it keep their print.
    pub async fn remove_product(&self, id: ProductId) -> Result<(), StoreError> {
        sqlx::query!("DELETE FROM products WHERE id = ?", id).execute(&self.pool).await?;
        Ok(())
    }
}
