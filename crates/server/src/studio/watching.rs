//! Telling those who look at cuts what is new: one small query a process and tick, whatever the number of open pages.

use super::{Problem, Studio};
use crate::store::watched::{self, HereRow, Told};
use sqlx::MySqlPool;
use std::collections::{BTreeSet, HashMap};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Duration;
use tokio::sync::{Notify, watch};
use uuid::Uuid;

/// How often it is looked for something new.
const LOOK: Duration = Duration::from_millis(300);

/// How often something of a cut has changed since it was looked at first; of 0 nothing is known yet.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct News {
    /// Anything but the progress of jobs and who is here.
    pub whole: u64,
    /// How far jobs are.
    pub jobs: u64,
    /// Who is here, and where.
    pub here: u64,
}

/// What is known of a cut.
#[derive(Debug, Default)]
struct Known {
    revision: String,
    jobs: BTreeSet<String>,
    here: BTreeSet<String>,
    /// When something happened last, by what it was.
    latest: HashMap<String, String>,
}

/// The job that a line of the query is about.
fn name_of(job: &str) -> &str {
    job.split(' ').next().unwrap_or_default()
}

impl Known {
    /// Takes in what is told now; what of it is new.
    fn take_in(&mut self, told: &[&Told], news: News) -> News {
        let of = |about: &str| told.iter().filter(|t| t.about == about).map(|t| t.value.clone()).collect::<BTreeSet<String>>();
        let (jobs, here) = (of("job"), of("here"));
        let revision = of("revision").into_iter().next().unwrap_or_default();
        let there: BTreeSet<&str> = jobs.iter().map(|job| name_of(job)).collect();
        // What a job leaves behind is there when it is over.
        let over = self.jobs.iter().any(|job| !there.contains(name_of(job)));
        let mut happened = over || revision != self.revision;
        for one in told.iter().filter(|t| matches!(t.about.as_str(), "ended" | "compared" | "said")) {
            let latest = self.latest.entry(one.about.clone()).or_default();
            if one.value > *latest {
                happened = true;
                latest.clone_from(&one.value);
            }
        }
        let news = News {
            whole: news.whole + u64::from(happened || news.whole == 0),
            jobs: news.jobs + u64::from(jobs != self.jobs),
            here: news.here + u64::from(here != self.here),
        };
        (self.revision, self.jobs, self.here) = (revision, jobs, here);
        news
    }
}

#[derive(Default)]
struct Looked {
    cuts: HashMap<Uuid, (watch::Sender<News>, Known)>,
    runs: bool,
}

/// The cuts that somebody looks at in this process.
#[derive(Clone, Default)]
pub struct Watching {
    looked: Arc<Mutex<Looked>>,
    /// Somebody has come.
    come: Arc<Notify>,
}

impl Watching {
    fn looked(&self) -> MutexGuard<'_, Looked> {
        self.looked.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// What is new of a cut from now on.
    fn of(&self, pool: &MySqlPool, cut: Uuid) -> watch::Receiver<News> {
        let mut looked = self.looked();
        let receiver = looked.cuts.entry(cut).or_insert_with(|| (watch::Sender::new(News::default()), Known::default())).0.subscribe();
        if !std::mem::replace(&mut looked.runs, true) {
            tokio::spawn(self.clone().look_out(pool.clone()));
        }
        self.come.notify_one();
        receiver
    }

    /// Looks again and again, until nobody is there any more.
    async fn look_out(self, pool: MySqlPool) {
        loop {
            let cuts: Vec<Uuid> = {
                let mut looked = self.looked();
                looked.cuts.retain(|_, (sender, _)| sender.receiver_count() > 0);
                looked.runs = !looked.cuts.is_empty();
                looked.cuts.keys().copied().collect()
            };
            if cuts.is_empty() {
                return;
            }
            // While the database is away there is nothing new.
            if let Ok(told) = watched::told(&pool, &cuts).await {
                let mut of_cut: HashMap<Uuid, Vec<&Told>> = HashMap::new();
                for one in &told {
                    of_cut.entry(one.cut).or_default().push(one);
                }
                let mut looked = self.looked();
                for cut in cuts {
                    if let Some((sender, known)) = looked.cuts.get_mut(&cut) {
                        let told = of_cut.get(&cut).map_or(&[][..], Vec::as_slice);
                        let before = *sender.borrow();
                        let news = known.take_in(told, before);
                        sender.send_if_modified(|now| std::mem::replace(now, news) != news);
                    }
                }
            }
            tokio::select! {
                () = tokio::time::sleep(LOOK) => {}
                () = self.come.notified() => {}
            }
        }
    }
}

impl Studio {
    /// What is new of a cut, from now on, whichever server or worker it comes from.
    pub fn news(&self, cut: Uuid) -> watch::Receiver<News> {
        self.watching.of(&self.pool, cut)
    }

    /// Who is on a cut, but for one window.
    ///
    /// # Errors
    /// What the database says.
    pub async fn here(&self, cut: Uuid, but_for: Uuid) -> Result<Vec<HereRow>, Problem> {
        Ok(watched::here(&self.pool, cut).await?.into_iter().filter(|row| row.window_id != but_for).collect())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn told(all: &[(&str, &str)]) -> Vec<Told> {
        all.iter().map(|(about, value)| Told { cut: Uuid::nil(), about: (*about).into(), value: (*value).into() }).collect()
    }

    #[test]
    fn progress_is_told_apart_from_what_it_leads_to() {
        let mut known = Known::default();
        let mut news = News::default();
        let mut look = |all: &[(&str, &str)]| {
            let before = news;
            let told = told(all);
            news = known.take_in(&told.iter().collect::<Vec<_>>(), news);
            (news.whole - before.whole, news.jobs - before.jobs, news.here - before.here)
        };
        assert_eq!(look(&[("revision", "1")]), (1, 0, 0), "the first look tells what is there");
        assert_eq!(look(&[("revision", "1")]), (0, 0, 0));
        assert_eq!(look(&[("revision", "1"), ("job", "A running 0.1 reading")]), (0, 1, 0));
        assert_eq!(look(&[("revision", "1"), ("job", "A running 0.2 reading")]), (0, 1, 0));
        assert_eq!(look(&[("revision", "1"), ("ended", "2026-11-30 10:00:00.5")]), (1, 1, 0), "it is over, and what it made is there");
        assert_eq!(look(&[("revision", "1"), ("ended", "2026-11-30 10:00:00.5")]), (0, 0, 0));
        assert_eq!(look(&[("revision", "1")]), (0, 0, 0), "what happened long ago is told no more, and that is no news");
        assert_eq!(look(&[("revision", "2"), ("here", "W shape 0")]), (1, 0, 1));
        assert_eq!(look(&[("revision", "2"), ("here", "W shape 480")]), (0, 0, 1));
        assert_eq!(look(&[("revision", "2"), ("said", "2026-11-30 10:00:01.0")]), (1, 0, 1));
        // Two jobs end together, and the one that was told later ended first.
        look(&[("revision", "2"), ("job", "B running 1 x"), ("job", "C running 1 x")]);
        assert_eq!(look(&[("revision", "2"), ("job", "B running 1 x"), ("ended", "2026-11-30 10:00:09.0")]).0, 1);
        assert_eq!(look(&[("revision", "2"), ("ended", "2026-11-30 10:00:09.0")]).0, 1);
    }
}
