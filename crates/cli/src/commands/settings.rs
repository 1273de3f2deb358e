//! `rummage settings`: the settings in force, and the source of each.

use std::io::Write;

use clap::parser::ValueSource;
use rummage_view::{ViewError, safe};
use serde_json::Value;

use crate::args::GlobalArgs;
use crate::args::{self, CheckOptions, SettingsArgs};
use crate::config::keys::{Key, keys};
use crate::config::{Config, FILE, schema};
use crate::failure::{Exit, Failure};
use crate::output::Terminal;
use crate::{output, paths, start};

pub(crate) fn run(
    given: &SettingsArgs,
    global: &GlobalArgs,
    terminal: Terminal,
) -> Result<Exit, Failure> {
    let mut out = output::buffered(terminal.stdout());
    if given.schema {
        let text = serde_json::to_string_pretty(&schema::schema()).expect("a schema is plain data");
        writeln!(out, "{text}").and_then(|()| out.flush()).map_err(ViewError::from)?;
        return Ok(Exit::Fine);
    }
    let config = Config::load(global.config.as_deref())?;
    let named = given.start.is_some() || global.site.is_some() || config.sites.len() == 1;
    let start = if named {
        Some(start::resolve(
            given.start.as_deref(),
            given.options.at.as_deref(),
            &config,
            global.site.as_deref(),
        )?)
    } else {
        None
    };
    let site = start.as_ref().and_then(|start| start.site.clone());
    let settings = config.settings(site.as_deref());
    let in_force = values(&given.options.clone().or(settings.options.clone()), &settings.own);
    let mut write = || -> std::io::Result<()> {
        match &config.path {
            Some(path) => writeln!(out, "settings file  {}", safe(&path.display().to_string()))?,
            None => writeln!(out, "settings file  none; rummage init writes one")?,
        }
        let store = paths::store(global.store.as_deref(), &config);
        if let Ok(store) = store {
            writeln!(out, "store          {}", safe(&store.display().to_string()))?;
        }
        match (&start, &site) {
            (_, Some(site)) => writeln!(out, "site           [site.{}]", safe(site))?,
            (Some(start), None) => {
                writeln!(out, "site           {} (no section)", safe(&start.text))?;
            }
            (None, None) => writeln!(out, "site           none named; these are the defaults")?,
        }
        writeln!(out)?;
        let width = keys().iter().map(|key| key.name.len()).max().unwrap_or_default();
        for key in keys() {
            let value = match &start {
                Some(start) if key.name == "start" => start.text.clone(),
                _ => value(&in_force, &key),
            };
            let from = source(&key, &config, site.as_deref());
            writeln!(out, "{:width$}  {:34} {from}", key.name, safe(&value).to_string())?;
        }
        for expect in &settings.own.expect {
            let target = safe(&expect.target).to_string();
            let value = format!("{} {target}", expect.status);
            writeln!(out, "{:width$}  {value:34} {FILE}", "expect")?;
        }
        out.flush()
    };
    write().map_err(ViewError::from)?;
    Ok(Exit::Fine)
}

/// All values that are set, by key, without secrets.
fn values(options: &CheckOptions, own: &crate::config::SiteKeys) -> Value {
    let mut values = serde_json::to_value(options).unwrap_or_default();
    if let (Value::Object(all), Ok(Value::Object(more))) = (&mut values, serde_json::to_value(own))
    {
        all.extend(more);
    }
    values
}

fn value(in_force: &Value, key: &Key) -> String {
    let set = match &in_force[key.name.as_str()] {
        Value::Null => None,
        Value::Array(list) if list.is_empty() => None,
        Value::String(text) => Some(text.clone()),
        Value::Array(list) => {
            let texts = list.iter().map(|item| match item {
                Value::String(text) => text.clone(),
                other => other.to_string(),
            });
            Some(texts.collect::<Vec<_>>().join(", "))
        }
        other => Some(other.to_string()),
    };
    set.unwrap_or_else(|| {
        if key.is_default {
            return key.example.trim_matches('"').to_owned();
        }
        let unset = match key.name.as_str() {
            "check-elements" => "all",
            "depth" | "max-pages" | "limit" => "no limit",
            "fail-on" => "broken; never for findings and compare",
            "format" => "by the extension of --output, else text",
            "sort" => "worst first",
            "group" => "target; none for csv and jsonl",
            "per-host" => "up to 16, adapted to response times",
            "user-agent" => rummage_engine::DEFAULT_USER_AGENT,
            "proxy" => "from HTTP_PROXY, HTTPS_PROXY, ALL_PROXY and NO_PROXY",
            _ => "none",
        };
        unset.to_owned()
    })
}

/// The source of a key's value.
fn source(key: &Key, config: &Config, site: Option<&str>) -> String {
    match typed(&key.name) {
        Some(ValueSource::CommandLine) if key.name != "start" || config.sites.is_empty() => {
            return "command line".to_owned();
        }
        Some(ValueSource::CommandLine) if site.is_none() => return "command line".to_owned(),
        Some(ValueSource::EnvVariable) => {
            let name = key.name.to_uppercase().replace('-', "_");
            return format!("environment, RUMMAGE_{name}");
        }
        _ => {}
    }
    let of_site = site.and_then(|site| Some((site, config.sites.get(site)?)));
    if let Some((site, section)) = of_site
        && let Some(line) = section.lines.get(&key.name)
    {
        return format!("{FILE}, line {line}, [site.{}]", safe(site));
    }
    match config.defaults.lines.get(&key.name) {
        Some(line) => format!("{FILE}, line {line}, [defaults]"),
        None => "built in".to_owned(),
    }
}

/// Whether a key was given on the command line or in the environment.
fn typed(key: &str) -> Option<ValueSource> {
    let matches = args::command().try_get_matches_from(std::env::args_os()).ok()?;
    let (_, of_command) = matches.subcommand()?;
    let id = key.replace('-', "_");
    // Keys that are not options have no such id.
    of_command.try_contains_id(&id).ok()?;
    of_command.value_source(&id)
}
