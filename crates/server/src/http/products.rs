//! The list of products: prints that are sold.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use dettaglio_domain::id::ProductId;
use dettaglio_domain::words;
use dettaglio_store::products::{Product, ProductRow};
use serde::Serialize;
use utoipa::ToSchema;

use super::answer::ProblemDetails;
use super::extract::{Address, Body};
use crate::app::App;
use crate::problem::Problem;

/// A product in the list.
#[derive(Debug, Serialize, ToSchema)]
pub struct ProductView {
    /// Its number.
    pub id: ProductId,
    /// What it is.
    #[serde(flatten)]
    pub product: Product,
    /// Its print in words.
    pub in_words: String,
}

/// All products by name.
#[utoipa::path(get, path = "/products", tag = "products", responses((status = OK, body = Vec<ProductView>)))]
pub async fn products(State(app): State<App>) -> Result<Json<Vec<ProductView>>, Problem> {
    let view = |ProductRow { id, product }| ProductView { id, in_words: words::ticket(&product.print), product };
    Ok(Json(app.store.products().await?.into_iter().map(view).collect()))
}

/// Puts a product into the list; one of the same name is replaced.
#[utoipa::path(post, path = "/products", tag = "products", request_body = Product,
    responses((status = NO_CONTENT), (status = 422, body = ProblemDetails)))]
pub async fn keep_product(State(app): State<App>, Body(product): Body<Product>) -> Result<StatusCode, Problem> {
    let name = product.name.trim().to_owned();
    if name.is_empty() || name.chars().count() > 100 {
        return Err(Problem::refused("product.name", "a product needs a name of at most 100 characters").field("name"));
    }
    product.print.target.check().map_err(|error| Problem::from(error).field("print"))?;
    if product.least_ppi.is_some_and(|ppi| !(1.0..=2400.0).contains(&ppi)) {
        return Err(Problem::refused("product.least-ppi", "the least resolution is 1 to 2400 ppi").field("least_ppi"));
    }
    app.store.set_product(&Product { name, ..product }).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Takes a product off the list.
#[utoipa::path(delete, path = "/products/{id}", tag = "products", params(("id" = ProductId, Path)),
    responses((status = NO_CONTENT)))]
pub async fn remove_product(State(app): State<App>, Address(id): Address<ProductId>) -> Result<StatusCode, Problem> {
    app.store.remove_product(id).await?;
    Ok(StatusCode::NO_CONTENT)
}
