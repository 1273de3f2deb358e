//! The sources of a site's pages, as they are now: fetched, or read from the folder that the site
//! is read from.

use rummage_core::crawl::{BodyUse, Kind, Request, RequestId};
use rummage_core::evidence::{Method, Purpose};
use rummage_core::url::scope::Scope;
use rummage_engine::{Clock, Fetcher, Folder};
use rummage_store::OpenRun;
use rummage_view::outcome;
use url::Url;

use super::plain::{config, options_of};
use super::{StartPoints, folder};
use crate::args::CheckOptions;
use crate::config::Section;
use crate::failure::Failure;

/// See the [module](self).
pub(crate) struct PageSources {
    runtime: tokio::runtime::Runtime,
    fetcher: Fetcher,
    folder: Option<Folder>,
}

impl PageSources {
    /// The sources of the pages of a run, with the options of the run.
    pub(crate) fn of(run: &OpenRun<'_>, settings: &Section) -> Result<PageSources, Failure> {
        let runtime = tokio::runtime::Builder::new_current_thread()
            .enable_all()
            .build()
            .map_err(|reason| Failure::System { what: "cannot start threads", reason })?;
        let earlier = options_of(run)?;
        let options = CheckOptions::default().like(Some(earlier), &settings.options);
        if let Some(header) = options.header.iter().find(|header| header.value().is_err()) {
            return Err(Failure::Usage {
                what: format!(
                    "the pages were requested with the header {}, which is not known now",
                    header.name
                ),
                hint: format!(
                    "Add it to the settings file: header = [\"{}: env:VAR\"], and set the variable.",
                    header.name
                ),
            });
        }
        let start = Url::parse(&run.info().start).ok();
        let named = StartPoints::of(&run.info().given_start, &options)?;
        let config = config(&options, named.named())?;
        let fetcher = Fetcher::new(config, Clock::starting_at(std::time::Duration::ZERO));
        let folder = folder(&run.info().given_start, &options)?;
        if let Some(start) = start.filter(|_| folder.is_none()) {
            runtime.block_on(fetcher.handle_start(&start));
        }
        Ok(PageSources { runtime, fetcher, folder })
    }

    /// The source of a page, or why there is none.
    pub(crate) fn get(&self, page: &str) -> Result<String, String> {
        let file = self.folder.as_ref().and_then(|folder| folder.file(&Url::parse(page).ok()?));
        if let Some(file) = file {
            let bytes = std::fs::read(&file).map_err(|reason| reason.to_string())?;
            return Ok(String::from_utf8_lossy(&bytes).into_owned());
        }
        let fetched = self.runtime.block_on(self.fetcher.source(&request(page)));
        fetched.map_err(|failed| outcome(&failed))
    }
}

fn request(page: &str) -> Request {
    Request {
        id: RequestId::from_number(0),
        purpose: Purpose::Verdict,
        url: page.to_owned(),
        method: Method::Get,
        body: BodyUse::Page,
        kind: Kind::Page,
        scope: Scope::Internal,
        later: false,
        brief: false,
        cookies: None,
        sketch: false,
        validators: None,
    }
}
