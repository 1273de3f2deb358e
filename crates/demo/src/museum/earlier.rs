//! The museum some weeks earlier: what has broken since, and what has been fixed.

use super::museum;
use super::row::HOST;
use crate::scenario::{Act, ConnectionMode, Scenario};

/// The same web as [`museum`], as it was before the rota was moved and the forecast timed out,
/// and when the page of the boat Hazel was missing. It has no truth of its own.
#[must_use]
pub fn museum_earlier() -> Scenario {
    let mut scenario = museum();
    let own = scenario.hosts.get_mut(HOST).expect("the museum has a host");
    let rota = "<!DOCTYPE html><title>Volunteer rota</title><h1>Volunteer rota</h1><p>March";
    own.paths.insert("/volunteers/rota.html".to_owned(), Act::page(rota.to_owned()));
    own.paths.remove("/boats/hazel/");
    let weather = scenario.hosts.get_mut("weather.fellgate.test").expect("the forecast has one");
    weather.reach = ConnectionMode::default();
    let forecast = "<!DOCTYPE html><title>Forecast for Fellgate</title><h1>Rain</h1>";
    weather.paths.insert("/forecast".to_owned(), Act::page(forecast.to_owned()));
    Scenario { truth: Vec::new(), pages: Vec::new(), ..scenario }
}
