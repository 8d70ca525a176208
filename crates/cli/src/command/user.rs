//! `velvet-dial user …`: who may sign in. Works while the server runs.
use super::database::Where;
use clap::Subcommand;
use std::error::Error;
use std::io::{self, BufRead};
use std::process::ExitCode;
use velvet_dial_core::field;
use velvet_dial_core::rights::Role;
use velvet_dial_store::accounts::{self, NewUser, password};

/// What to do with users.
#[derive(Debug, Subcommand)]
pub enum User {
    /// Add a user; the password is read from standard input, one line.
    Add {
        /// Name to sign in with.
        sign_in: String,
        /// Name on screens and in the report; the sign-in name when left out.
        #[arg(long)]
        shown_name: Option<String>,
        /// apprentice, technician, foreman, owner or reader; when left out, owner for the first of a shop and technician for the others.
        #[arg(long, value_parser = role)]
        role: Option<Role>,
        /// Shop of the user; made when there is none of this name.
        #[arg(long, default_value = "Workshop")]
        shop: String,
        #[command(flatten)]
        at: Where,
    },
    /// Give a user another password, read from standard input, and end all their sessions.
    Password {
        /// Name to sign in with.
        sign_in: String,
        #[command(flatten)]
        at: Where,
    },
    /// Give a user another role.
    Role {
        /// Name to sign in with.
        sign_in: String,
        /// apprentice, technician, foreman, owner or reader.
        #[arg(value_parser = role)]
        role: Role,
        #[command(flatten)]
        at: Where,
    },
    /// Take a user's second factor away, where phone and recovery codes are lost.
    SecondFactorOff {
        /// Name to sign in with.
        sign_in: String,
        #[command(flatten)]
        at: Where,
    },
    /// Let a user sign in no more, and end all their sessions. What they wrote keeps their name.
    Remove {
        /// Name to sign in with.
        sign_in: String,
        #[command(flatten)]
        at: Where,
    },
    /// List everybody.
    List {
        #[command(flatten)]
        at: Where,
    },
}

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

    async fn act(self) -> Result<String, Box<dyn Error>> {
        match self {
            Self::Add { sign_in, shown_name, role, shop, at } => add(&sign_in, shown_name, role, (&shop, &at)).await,
            Self::Password { sign_in, at } => {
                let password = typed_password(&[&sign_in])?;
                let opened = at.open().await?;
                if accounts::set_password(&opened.db, &sign_in, &password).await? {
                    Ok(format!("{sign_in} signs in with the new password from now on; every session of before is over."))
                } else {
                    Err(nobody(&sign_in).into())
                }
            }
            Self::Role { sign_in, role, at } => {
                let opened = at.open().await?;
                if accounts::set_role_of(&opened.db, &sign_in, role).await? {
                    Ok(format!("{sign_in} is {} from now on.", role.label()))
                } else {
                    Err(nobody(&sign_in).into())
                }
            }
            Self::SecondFactorOff { sign_in, at } => {
                let opened = at.open().await?;
                if accounts::take_second_factor(&opened.db, &sign_in).await? {
                    Ok(format!("{sign_in} signs in with the password alone from now on."))
                } else {
                    Err(nobody(&sign_in).into())
                }
            }
            Self::Remove { sign_in, at } => {
                let opened = at.open().await?;
                if accounts::remove_user(&opened.db, &sign_in).await? {
                    Ok(format!("{sign_in} may sign in no more; what they wrote keeps their name."))
                } else {
                    Err(nobody(&sign_in).into())
                }
            }
            Self::List { at } => {
                let opened = at.open().await?;
                let people = accounts::everybody(&opened.db).await?;
                let line = |person: &accounts::Person| {
                    let notes = [(person.demo, "demo"), (person.removed, "removed")].into_iter().filter(|(holds, _)| *holds);
                    let notes: Vec<&str> = notes.map(|(_, note)| note).collect();
                    format!("{}\t{}\t{}\t{}\t{}", person.sign_in, person.shown_name, person.role.label(), person.shop, notes.join(", "))
                        .trim_end()
                        .to_owned()
                };
                Ok(people.iter().map(line).collect::<Vec<_>>().join("\n"))
            }
        }
    }
}

/// A role by its word.
fn role(word: &str) -> Result<Role, String> {
    Role::parse(word).ok_or_else(|| "apprentice, technician, foreman, owner or reader".to_owned())
}

async fn add(sign_in: &str, shown_name: Option<String>, role: Option<Role>, (shop, at): (&str, &Where)) -> Result<String, Box<dyn Error>> {
    let sign_in = field::text("Sign-in name", sign_in, 60)?;
    let shown = field::text("Shown name", &shown_name.unwrap_or_else(|| sign_in.clone()), 120)?;
    if sign_in.is_empty() {
        return Err("Sign-in name: nothing given; for example: velvet-dial user add ines".into());
    }
    let password = typed_password(&[&sign_in, &shown, shop])?;
    let opened = at.open().await?;
    let shop = accounts::shop_named(&opened.db, shop).await?;
    let role = match role {
        Some(role) => role,
        None if accounts::has_people(&opened.db, shop).await? => Role::Technician,
        None => Role::Owner,
    };
    match accounts::add_user(&opened.db, shop, &NewUser::of(role, &sign_in, &shown, &password)).await? {
        Some(_) => Ok(format!("{sign_in} may sign in now, as {}.", role.label())),
        None => Err(format!("“{sign_in}” is in the list already. Choose another name.").into()),
    }
}

/// Where nobody signs in by that name.
pub fn nobody(sign_in: &str) -> String {
    format!("Nobody signs in as “{sign_in}”; velvet-dial user list shows who does.")
}

/// One line of standard input, when it may be a password.
fn typed_password(names: &[&str]) -> Result<String, Box<dyn Error>> {
    let mut line = String::new();
    io::stdin().lock().read_line(&mut line)?;
    let typed = line.trim_end_matches(['\r', '\n']);
    match password::complaint(typed, names) {
        Some(complaint) => Err(complaint.into()),
        None => Ok(typed.to_owned()),
    }
}
