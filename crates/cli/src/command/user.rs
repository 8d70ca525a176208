//! `velvet-dial user add`
use clap::Subcommand;
use std::io::{self, BufRead};
use std::path::PathBuf;
use std::process::ExitCode;
use velvet_dial_core::field;
use velvet_dial_services::mariadb::MariaDb;
use velvet_dial_store::accounts;

/// What to do with users.
#[derive(Debug, Subcommand)]
pub enum User {
    /// Add a user; the password is read from standard input, one line of at least 10 characters.
    Add {
        /// Name to sign in with.
        sign_in: String,
        /// Name on screens and in the report; the sign-in name when left out.
        #[arg(long)]
        shown_name: Option<String>,
        /// Shop of the user; made when there is none of this name.
        #[arg(long, default_value = "Workshop")]
        shop: String,
        /// Address of a MariaDB; without it the private one under --data, which must not be in use by a running server.
        #[arg(long, env = "DATABASE_URL", hide_env_values = true)]
        database_url: Option<String>,
        /// Folder of the private MariaDB.
        #[arg(long, default_value = "var/mariadb")]
        data: PathBuf,
    },
}

/// Fewest characters of a password.
const LEAST_PASSWORD: usize = 10;

impl User {
    /// Runs it.
    pub fn run(self) -> ExitCode {
        match actix_web::rt::System::new().block_on(self.act()) {
            Ok(said) => {
                println!("{said}");
                ExitCode::SUCCESS
            }
            Err(error) => {
                eprintln!("{error}");
                ExitCode::FAILURE
            }
        }
    }

    async fn act(self) -> Result<String, Box<dyn std::error::Error>> {
        let Self::Add { sign_in, shown_name, shop, database_url, data } = self;
        let sign_in = field::text("Sign-in name", &sign_in, 60)?;
        let shown = field::text("Shown name", &shown_name.unwrap_or_else(|| sign_in.clone()), 120)?;
        if sign_in.is_empty() {
            return Err("Sign-in name: nothing given; for example: velvet-dial user add ines".into());
        }
        let mut password = String::new();
        io::stdin().lock().read_line(&mut password)?;
        let password = password.trim_end_matches(['\r', '\n']);
        if password.chars().count() < LEAST_PASSWORD {
            return Err(format!(
                "The password on standard input has fewer than {LEAST_PASSWORD} characters; give a longer one on one line."
            )
            .into());
        }
        let (private, url) = match database_url {
            Some(url) => (None, url),
            None => {
                let private = MariaDb::start(&data, false)?;
                let url = private.url();
                (Some(private), url)
            }
        };
        let db = velvet_dial_store::open(&url).await?;
        let shop = accounts::shop_named(&db, &shop).await?;
        let added = accounts::add_user(&db, shop, &sign_in, &shown, password).await?;
        db.close().await?;
        drop(private);
        match added {
            Some(_) => Ok(format!("{sign_in} may sign in now.")),
            None => Err(format!("“{sign_in}” may sign in already; choose another name.").into()),
        }
    }
}
