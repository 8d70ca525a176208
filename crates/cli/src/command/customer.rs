//! `velvet-dial customer …`: what is kept of a customer. Works while the server runs.
use super::database::Where;
use clap::Subcommand;
use std::error::Error;
use std::process::ExitCode;
use velvet_dial_core::field;
use velvet_dial_store::{DatabaseRole, StoreError, accounts, jobs};

/// What to do with what is kept of a customer.
#[derive(Debug, Subcommand)]
pub enum Customer {
    /// Remove the customer from closed jobs: name, number and their own words go, from the job history, the signed report and the search. Hashes and signatures still hold. Plate, photos and what
    /// technicians wrote in other words stay; the job history says that the customer was removed, by whom and why. It cannot be undone.
    Remove {
        /// A job's number. May be given more than once.
        #[arg(long, required = true)]
        job: Vec<i64>,
        /// Sign-in name of who removes them.
        #[arg(long)]
        by: String,
        /// Why, for the job history; without the customer's name.
        #[arg(long)]
        because: String,
        #[command(flatten)]
        at: Where,
    },
}

impl Customer {
    /// Runs it.
    pub fn run(self) -> ExitCode {
        match actix_web::rt::System::new().block_on(self.act()) {
            Ok(true) => ExitCode::SUCCESS,
            Ok(false) => ExitCode::FAILURE,
            Err(error) => {
                eprintln!("{error}");
                ExitCode::FAILURE
            }
        }
    }

    /// True where every job was done.
    async fn act(self) -> Result<bool, Box<dyn Error>> {
        let Self::Remove { job, by, because, at } = self;
        let because = field::text("Why", &because, 300)?;
        if because.is_empty() {
            return Err("Why: nothing given; for example: --because \"they asked for it in writing\"".into());
        }
        let opened = at.open_as(DatabaseRole::Remover).await?;
        let db = &opened.db;
        let viewer = accounts::viewer_named(db, &by).await?.ok_or_else(|| super::user::nobody(&by))?;
        let mut all = true;
        for number in job {
            let removed = match jobs::names_customer(db, &viewer, number).await {
                Ok(false) => Ok("says nothing of a customer."),
                Ok(true) => {
                    let removed = jobs::remove_customer(db, &viewer, number, &because).await;
                    removed.map(|()| "no longer says who the customer was; its history says that they were removed, and why.")
                }
                Err(error) => Err(error),
            };
            match removed {
                Ok(said) => println!("Job {number} {said}"),
                Err(error) => {
                    eprintln!("Job {number}: {}", plain(&error));
                    all = false;
                }
            }
        }
        Ok(all)
    }
}

/// Why a job was left as it is.
fn plain(error: &StoreError) -> String {
    match error {
        StoreError::NotFound => "there is no such job in this person's shop.".to_owned(),
        StoreError::Open => "it is open, and its customer is still needed; close it first.".to_owned(),
        StoreError::Report(why) => format!("left as it is. {why}"),
        other => format!("left as it is: {other}"),
    }
}
