//! `velvet-dial summaries`: makes what the board tells of every job anew, from the ledgers.
use super::database::{OpenError, Where};
use clap::Args;
use std::process::ExitCode;
use velvet_dial_store::{accounts, jobs};

/// Where to.
#[derive(Debug, Args)]
pub struct Summaries {
    #[command(flatten)]
    at: Where,
}

impl Summaries {
    /// Runs it.
    pub fn run(self) -> ExitCode {
        match actix_web::rt::System::new().block_on(self.act()) {
            Ok(jobs) => {
                println!("Summaries of {jobs} jobs made again. Verdict and leading cause follow when a job is opened.");
                ExitCode::SUCCESS
            }
            Err(error) => {
                eprintln!("{error}");
                ExitCode::FAILURE
            }
        }
    }

    async fn act(self) -> Result<usize, OpenError> {
        let opened = self.at.open().await?;
        let mut told = 0;
        for viewer in accounts::one_of_each_shop(&opened.db).await? {
            told += jobs::rebuild(&opened.db, &viewer).await?;
        }
        Ok(told)
    }
}
