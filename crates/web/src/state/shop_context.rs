//! What every job of a shop is judged with beside itself: its hours and money, and what its closed jobs were. Kept for a while, since every tap asks for it.
use super::App;
use moka::sync::Cache;
use std::sync::Arc;
use std::time::Duration;
use uuid::Uuid;
use velvet_dial_core::experience::Memory;
use velvet_dial_store::accounts::{self, Shop};
use velvet_dial_store::jobs::{self, Learnt};
use velvet_dial_store::{StoreError, Viewer};

/// A shop, and what it learnt.
#[derive(Debug)]
pub struct ShopContext {
    /// What it says of itself.
    pub shop: Shop,
    /// What its closed jobs say, by engine family.
    pub learnt: Vec<Learnt>,
}

impl ShopContext {
    /// What is known of an engine's family; none where nothing is, or where the shop does not learn.
    pub fn memory(&self, engine: Uuid) -> Option<Memory> {
        let learnt = self.shop.learns.then(|| self.learnt.iter().find(|learnt| learnt.engines.contains(&engine)))??;
        let told = learnt.memory.jobs() + learnt.memory.took.jobs > 0;
        told.then(|| learnt.memory.clone())
    }

    /// The shop's money, for a figure that is none of its own currency until it names one.
    pub fn money(&self) -> &str {
        self.shop.money.as_deref().unwrap_or("in money")
    }
}

/// The houses that were asked for of late.
#[derive(Debug)]
pub struct Houses(Cache<Uuid, Arc<ShopContext>>);

/// Another server beside this one may have written meanwhile: then what is kept is so old at most.
const KEPT: Duration = Duration::from_secs(120);
const MOST: u64 = 256;

impl Default for Houses {
    fn default() -> Self {
        Self(Cache::builder().max_capacity(MOST).time_to_live(KEPT).build())
    }
}

impl App {
    /// The shop of whoever asks.
    pub async fn shop_context(&self, viewer: &Viewer) -> Result<Arc<ShopContext>, StoreError> {
        if let Some(shop_context) = self.houses.0.get(&viewer.shop) {
            return Ok(shop_context);
        }
        let (shop, learnt) = tokio::try_join!(accounts::shop(&self.db, viewer), jobs::learnt(&self.db, viewer))?;
        let shop_context = Arc::new(ShopContext { shop, learnt });
        self.houses.0.insert(viewer.shop, shop_context.clone());
        Ok(shop_context)
    }

    /// Something of it was changed: it is read anew.
    pub fn forget_shop_context(&self, viewer: &Viewer) {
        self.houses.0.invalidate(&viewer.shop);
    }
}
