//! What an entry's figures and words must be, whoever sends it: a form, the live gauge, a door for other programs. A form asks the same with a sentence at its field;
//! here is the last place that can refuse, so that no figure outside its range and no word that nobody knows gets into a job.
use super::details::Measured;
use super::entry::Body;
use velvet_dial_core::field::{self, Field, FieldError};
use velvet_dial_core::knowledge::knowledge;
use velvet_dial_core::rigging;
use velvet_dial_core::strip_down::StripDownError;
use velvet_dial_core::trace::Strategy;

/// Why an entry may not be written.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum Refused {
    /// A figure outside its range.
    #[error(transparent)]
    Range(#[from] FieldError),
    /// Figures of an open engine that are outside their range or do not go together.
    #[error(transparent)]
    StripDown(#[from] StripDownError),
    /// A word that is not in the knowledge: of a check, an outcome, a cause, a strategy.
    #[error("“{0}” is not known here")]
    Unknown(String),
}

impl Body {
    /// Whether all that it says may be kept.
    pub(super) fn in_range(&self) -> Result<(), Refused> {
        let held = |figures: &[(&Field, Option<f64>)]| {
            figures.iter().try_for_each(|(field, value)| value.map_or(Ok(()), |value| field.hold(value).map(drop).map_err(Refused::from)))
        };
        let cause = |id: &str| knowledge().cause(id).map(drop).ok_or_else(|| Refused::Unknown(id.to_owned()));
        let check = |id: &str| knowledge().check(id).ok_or_else(|| Refused::Unknown(id.to_owned()));
        match self {
            Self::Reading(taken) => {
                let reading = &taken.reading;
                held(&[
                    (&field::RPM, Some(reading.rpm)),
                    (&field::OIL_TEMP, Some(reading.oil_temp_c)),
                    (&field::PRESSURE, Some(reading.kpa)),
                    (&field::SPREAD, Some(reading.spread_kpa)),
                ])
            }
            Self::Rig(done) => {
                rigging::step(&done.step).ok_or_else(|| Refused::Unknown(done.step.clone()))?;
                held(&[(&field::ZERO, done.zero_kpa)])
            }
            Self::Evidence { check: id, .. } => {
                let check = check(id)?;
                self.outcomes().try_for_each(|outcome| check.outcome(outcome).map(drop).ok_or_else(|| Refused::Unknown(outcome.to_owned())))
            }
            Self::PutOff { check: id, .. } => check(id).map(drop),
            Self::Overruled { check: id, minutes, .. } => {
                check(id)?;
                held(&[(&field::OVERRULED, Some(*minutes))])
            }
            Self::Struck { cause: id, .. } | Self::Pattern { cause: Some(id) } => cause(id),
            Self::Repair(repair) => repair.cause.as_deref().map_or(Ok(()), cause),
            Self::Order { order } => match Strategy::ALL.iter().any(|(_, id, _)| id == order) {
                true => Ok(()),
                false => Err(Refused::Unknown(order.clone())),
            },
            Self::Agreed { up_to, .. } => held(&[(&field::UP_TO, *up_to)]),
            Self::Particulars(said) => held(&[(&field::ODOMETER, said.odometer_km)]),
            Self::Crank { said } => Ok(said.held().map(drop)?),
            Self::Journal { said } => Ok(said.held().map(drop)?),
            Self::Measured { figure: Measured::Screen(screen) } => Ok(screen.held().map(drop)?),
            Self::Measured { figure: Measured::Spring(spring) } => Ok(spring.held().map(drop)?),
            Self::Measured { figure: Measured::Pump(pump) } => Ok(pump.held().map(drop)?),
            Self::Closed { found } => {
                found.cause.as_deref().map_or(Ok(()), cause)?;
                held(&[(&field::TOOK, found.took_min)])
            }
            _ => Ok(()),
        }
    }
}
