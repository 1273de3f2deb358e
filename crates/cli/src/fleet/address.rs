//! Where the database of a fleet is.

use rummage_fleet::Address;

use crate::args::DatabaseArg;
use crate::failure::Failure;

/// The environment variable with the URL of the database.
const URL: &str = "RUMMAGE_DATABASE_URL";

/// Where the database is: as named, else as the environment says.
pub(crate) fn address(arg: &DatabaseArg) -> Result<Address, Failure> {
    let lacking = || Failure::Usage {
        what: "no database was named".to_owned(),
        hint: format!("Set {URL}, or give --database postgres://rummage@db.example.test/fleet"),
    };
    let Some(named) = &arg.database else {
        let text = std::env::var(URL).ok().filter(|text| !text.is_empty()).ok_or_else(lacking)?;
        return Ok(Address::parse(&text)?);
    };
    let address = Address::parse(named)?;
    if address.has_password() {
        return Err(Failure::Usage {
            what: "--database: the URL has a password, which every user of this machine can see"
                .to_owned(),
            hint: format!("Put the URL into the environment instead: {URL}"),
        });
    }
    Ok(address)
}
