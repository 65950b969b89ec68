//! `kill -9` in the middle of saves: what was answered is there, and nothing is corrupt.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};

use mend_keel_store::{Store, findings};

use crate::support::{CRACK, Server, Visitor, keys, with_keys};

const AT: &str = "/boats/1/findings/new?at=P5+F12";
const ACTION: &str = "/boats/1/findings/new?at=P5%20F12";
/// Saves answered before the blow falls.
const SAVES: usize = 30;

#[tokio::test(flavor = "multi_thread")]
async fn killed_in_the_middle_of_saves_it_loses_no_saved_entry() {
    let mut server = Server::demo();
    for round in 0..2 {
        let visitor = Visitor::new(&server);
        let form = with_keys(&keys(&visitor.get(AT).await.text, ACTION), &CRACK);
        let saved = Arc::new(AtomicUsize::new(0));
        let stop = Arc::new(AtomicBool::new(false));
        let writers: Vec<_> = (0..4)
            .map(|writer| {
                let (visitor, form, saved, stop) = (visitor.clone(), form.clone(), saved.clone(), stop.clone());
                tokio::spawn(async move {
                    let mut answered = Vec::new();
                    for n in 0.. {
                        if stop.load(Ordering::Relaxed) {
                            break;
                        }
                        let mark = format!("r{round}w{writer}n{n}");
                        let mut fields = form.clone();
                        fields.iter_mut().find(|(k, _)| k == "once").unwrap().1 = mark.clone();
                        fields.push(("note".into(), mark.clone()));
                        let sent = visitor.client.post(format!("{}{ACTION}", visitor.base)).form(&fields).send().await;
                        match sent {
                            Ok(answer) if answer.status().as_u16() == 303 => {
                                answered.push(mark);
                                saved.fetch_add(1, Ordering::Relaxed);
                            }
                            // The server is gone: only what was answered counts.
                            _ => break,
                        }
                    }
                    answered
                })
            })
            .collect();
        while saved.load(Ordering::Relaxed) < SAVES {
            tokio::task::yield_now().await;
        }
        let folder = server.kill();
        stop.store(true, Ordering::Relaxed);
        let mut answered = Vec::new();
        for writer in writers {
            answered.extend(writer.await.unwrap());
        }
        assert!(answered.len() >= SAVES);
        let store = Store::open(&folder.path().join("mend-keel.db")).await.unwrap();
        assert!(store.check().await.unwrap(), "the file or the history's chain is broken");
        let kept: Vec<String> = findings::of_boat(&store, 1).await.unwrap().into_iter().map(|f| f.note).collect();
        for mark in &answered {
            assert_eq!(kept.iter().filter(|note| *note == mark).count(), 1, "{mark} was answered but not kept once");
        }
        store.close().await;
        server = Server::start("demo", folder);
    }
}
