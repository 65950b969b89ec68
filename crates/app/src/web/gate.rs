//! The gate before the server: a request that does not come to its end is cut off, and one address holds only so many connections.
//!
//! The server's own library reads a head for as long as somebody dribbles it. So the gate listens in its place, holds a head until it is
//! whole, watches that a body goes on, and passes the bytes as they are to the server on a port of its own.

use std::collections::HashMap;
use std::io;
use std::net::{IpAddr, SocketAddr};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use rocket::tokio::io::{AsyncReadExt, AsyncWriteExt};
use rocket::tokio::net::tcp::{OwnedReadHalf, OwnedWriteHalf};
use rocket::tokio::net::{TcpListener, TcpStream};
use rocket::tokio::{select, spawn, time};

/// How long and how many.
#[derive(Debug, Clone, Copy)]
pub struct Limits {
    /// A head is whole so long after its first byte.
    pub head: Duration,
    /// The next piece of a body comes within this.
    pub body: Duration,
    /// A connection on which nothing is asked and nothing answered is kept so long.
    pub idle: Duration,
    /// Connections of one address.
    pub connections: usize,
}

impl Default for Limits {
    fn default() -> Self {
        let ten = Duration::from_secs(10);
        // Each connection holds two files open, and a process has a thousand.
        Self { head: ten, body: ten, idle: Duration::from_secs(120), connections: 384 }
    }
}

/// Longest head, bytes.
const LONGEST_HEAD: usize = 64 * 1024;
/// Most lines of a head.
const MOST_LINES: usize = 120;
/// Bytes passed at once.
const PIECE: usize = 16 * 1024;

/// Connections there are, by address.
#[derive(Debug, Default, Clone)]
struct Held(Arc<Mutex<HashMap<IpAddr, usize>>>);

/// One connection of an address, until it is dropped.
struct Place {
    held: Held,
    of: IpAddr,
}

impl Held {
    /// A place for one more connection, where there is one.
    fn take(&self, of: IpAddr, most: usize) -> Option<Place> {
        let mut held = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let count = held.entry(of).or_insert(0);
        if *count >= most {
            return None;
        }
        *count += 1;
        Some(Place { held: self.clone(), of })
    }
}

impl Drop for Place {
    fn drop(&mut self) {
        let mut held = self.held.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(count) = held.get_mut(&self.of) {
            *count -= 1;
            if *count == 0 {
                held.remove(&self.of);
            }
        }
    }
}

/// How far what somebody sends has come.
#[derive(Debug, Default, PartialEq)]
enum Sent {
    /// Between two requests.
    #[default]
    Nothing,
    /// A head that is not whole.
    Head(Vec<u8>),
    /// So many bytes of a body are still to come.
    Body(u64),
    /// What came is no request: the server says so, and no more of it is understood.
    Odd,
}

/// Why a connection is cut.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Cut {
    /// A head that did not come to its end in time.
    Slow,
    /// A head without end.
    Long,
    /// A body whose length nobody said.
    Unmeasured,
    /// More connections than one address may hold.
    Crowded,
}

impl Cut {
    fn answer(self) -> String {
        let (status, says) = match self {
            Self::Slow => ("408 Request Timeout", "The request did not come to its end in time."),
            Self::Long => ("431 Request Header Fields Too Large", "The head of the request is too long."),
            Self::Unmeasured => ("411 Length Required", "What is sent must say how long it is."),
            Self::Crowded => {
                ("503 Service Unavailable", "Too many connections from one address. Try again in a moment.")
            }
        };
        let length = says.len() + 1;
        format!(
            "HTTP/1.1 {status}\r\nContent-Type: text/plain; charset=utf-8\r\nContent-Length: {length}\r\n\
             Retry-After: 5\r\nConnection: close\r\n\r\n{says}\n"
        )
    }
}

impl Sent {
    /// Takes what came next and gives what of it may go on to the server.
    fn take(&mut self, mut came: &[u8]) -> Result<Vec<u8>, Cut> {
        let mut on = Vec::with_capacity(came.len());
        while !came.is_empty() {
            match self {
                Self::Odd => {
                    on.extend_from_slice(came);
                    came = &[];
                }
                Self::Body(left) => {
                    let now = usize::try_from(*left).map_or(came.len(), |left| left.min(came.len()));
                    on.extend_from_slice(&came[..now]);
                    came = &came[now..];
                    *left -= now as u64;
                    if *left == 0 {
                        *self = Self::Nothing;
                    }
                }
                Self::Nothing => *self = Self::Head(Vec::new()),
                Self::Head(head) => {
                    let before = head.len();
                    // Only as much as a head may have, so that a large body behind it is not gone through twice.
                    let now = came.len().min(LONGEST_HEAD - before);
                    head.extend_from_slice(&came[..now]);
                    match end_of_head(head) {
                        Head::Open if head.len() >= LONGEST_HEAD => return Err(Cut::Long),
                        Head::Open => came = &came[now..],
                        Head::Odd => {
                            on.append(head);
                            came = &came[now..];
                            *self = Self::Odd;
                        }
                        Head::Unmeasured => return Err(Cut::Unmeasured),
                        Head::Whole { length, body } => {
                            on.extend_from_slice(&head[..length]);
                            came = &came[length - before..];
                            *self = if body == 0 { Self::Nothing } else { Self::Body(body) };
                        }
                    }
                }
            }
        }
        Ok(on)
    }
}

/// What a head says.
enum Head {
    Open,
    Odd,
    Unmeasured,
    /// Bytes of the head, and of the body behind it.
    Whole {
        length: usize,
        body: u64,
    },
}

fn end_of_head(head: &[u8]) -> Head {
    let mut lines = [httparse::EMPTY_HEADER; MOST_LINES];
    let mut request = httparse::Request::new(&mut lines);
    match request.parse(head) {
        Ok(httparse::Status::Partial) => Head::Open,
        Err(_) => Head::Odd,
        Ok(httparse::Status::Complete(length)) => {
            let named = |name: &str| request.headers.iter().find(|h| h.name.eq_ignore_ascii_case(name));
            if named("transfer-encoding").is_some() {
                return Head::Unmeasured;
            }
            let said = named("content-length").map(|h| std::str::from_utf8(h.value).ok()?.trim().parse().ok());
            match said {
                None => Head::Whole { length, body: 0 },
                Some(Some(body)) => Head::Whole { length, body },
                Some(None) => Head::Odd,
            }
        }
    }
}

/// When something was last answered on a connection.
struct Answered {
    begun: Instant,
    at: AtomicU64,
}

impl Answered {
    fn now(&self) {
        self.at.store(self.begun.elapsed().as_millis() as u64, Ordering::Relaxed);
    }

    fn ago(&self) -> Duration {
        self.begun.elapsed().saturating_sub(Duration::from_millis(self.at.load(Ordering::Relaxed)))
    }
}

/// Passes what is asked, until nobody asks any more.
async fn ask(
    from: &mut OwnedReadHalf,
    to: &mut OwnedWriteHalf,
    limits: Limits,
    answered: &Answered,
) -> io::Result<Option<Cut>> {
    let mut sent = Sent::default();
    let mut begun = Instant::now();
    let mut piece = vec![0; PIECE];
    loop {
        let wait = match sent {
            Sent::Nothing => limits.idle,
            Sent::Head(_) => limits.head.saturating_sub(begun.elapsed()),
            Sent::Body(_) | Sent::Odd => limits.body,
        };
        let Ok(read) = time::timeout(wait, from.read(&mut piece)).await else {
            match sent {
                Sent::Head(_) => return Ok(Some(Cut::Slow)),
                // An answer that takes long is no idle connection.
                Sent::Nothing if answered.ago() < limits.idle => continue,
                _ => return Err(io::ErrorKind::TimedOut.into()),
            }
        };
        let read = read?;
        if read == 0 {
            to.shutdown().await?;
            return Ok(None);
        }
        let was_nothing = sent == Sent::Nothing;
        let on = match sent.take(&piece[..read]) {
            Ok(on) => on,
            Err(cut) => return Ok(Some(cut)),
        };
        // A head's time runs from its first byte: from here, when it begins here, alone or behind another request.
        if was_nothing || !on.is_empty() {
            begun = Instant::now();
        }
        if !on.is_empty() {
            answered.now();
            to.write_all(&on).await?;
        }
    }
}

/// Passes what is answered.
async fn answer(from: &mut OwnedReadHalf, to: &mut OwnedWriteHalf, answered: &Answered) -> io::Result<()> {
    let mut piece = vec![0; PIECE];
    loop {
        let read = from.read(&mut piece).await?;
        if read == 0 {
            return Ok(());
        }
        to.write_all(&piece[..read]).await?;
        answered.now();
    }
}

async fn pass(client: TcpStream, server: SocketAddr, limits: Limits) -> io::Result<()> {
    client.set_nodelay(true)?;
    let inner = TcpStream::connect(server).await?;
    inner.set_nodelay(true)?;
    let ((mut asks, mut hears), (mut answers, mut takes)) = (client.into_split(), inner.into_split());
    let answered = Answered { begun: Instant::now(), at: AtomicU64::new(0) };
    let cut = {
        let told = answer(&mut answers, &mut hears, &answered);
        let asked = ask(&mut asks, &mut takes, limits, &answered);
        rocket::tokio::pin!(told, asked);
        select! {
            done = &mut told => return done,
            cut = &mut asked => match cut? {
                // Whoever asks no more may still hear what was asked before.
                None => return told.await,
                Some(cut) => cut,
            },
        }
    };
    hears.write_all(cut.answer().as_bytes()).await?;
    hears.shutdown().await
}

/// Lets people in to the server until the program ends.
pub async fn keep(listener: TcpListener, server: SocketAddr, limits: Limits) {
    let held = Held::default();
    loop {
        let Ok((mut client, peer)) = listener.accept().await else {
            // No file can be opened now; those that are open end by and by.
            time::sleep(Duration::from_millis(100)).await;
            continue;
        };
        let Some(place) = held.take(peer.ip(), limits.connections) else {
            spawn(async move {
                // Whether they hear it is their own affair.
                let _ = time::timeout(limits.body, client.write_all(Cut::Crowded.answer().as_bytes())).await;
            });
            continue;
        };
        spawn(async move {
            // A connection that breaks is its own end; the server tells nobody, as before.
            let _ = pass(client, server, limits).await;
            drop(place);
        });
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    const GET: &[u8] = b"GET /boats HTTP/1.1\r\nHost: localhost\r\n\r\n";

    fn post(body: &[u8]) -> Vec<u8> {
        let head = format!("POST /x HTTP/1.1\r\nHost: localhost\r\nContent-Length: {}\r\n\r\n", body.len());
        [head.as_bytes(), body].concat()
    }

    #[test]
    fn a_head_is_held_until_it_is_whole_and_a_body_goes_on_as_it_comes() {
        let mut sent = Sent::default();
        assert_eq!(sent.take(&GET[..GET.len() - 1]), Ok(vec![]));
        assert_eq!(sent.take(b"\n"), Ok(GET.to_vec()));
        assert_eq!(sent, Sent::Nothing);
        let all = post(b"12345");
        assert_eq!(sent.take(&all[..all.len() - 2]), Ok(all[..all.len() - 2].to_vec()));
        assert_eq!(sent, Sent::Body(2));
        // The end of one and the beginning of the next in one piece.
        assert_eq!(sent.take(b"45GET / HT"), Ok(b"45".to_vec()));
        assert_eq!(sent, Sent::Head(b"GET / HT".to_vec()));
    }

    #[test]
    fn what_has_no_end_or_no_length_is_cut_and_what_is_no_request_is_left_to_the_server() {
        let endless = [b"GET / HTTP/1.1\r\nX: ".to_vec(), vec![b'a'; LONGEST_HEAD]].concat();
        assert_eq!(Sent::default().take(&endless), Err(Cut::Long));
        let chunked = b"POST / HTTP/1.1\r\nHost: a\r\nTransfer-Encoding: chunked\r\n\r\n";
        assert_eq!(Sent::default().take(chunked), Err(Cut::Unmeasured));
        for odd in [&b"\x16\x03\x01 not for this port\r\n\r\n"[..], b"POST / HTTP/1.1\r\nContent-Length: -4\r\n\r\n"] {
            let mut sent = Sent::default();
            assert_eq!(sent.take(odd), Ok(odd.to_vec()));
            assert_eq!(sent, Sent::Odd);
        }
        // The largest length there is ends nothing early and does not overflow.
        let mut sent = Sent::default();
        sent.take(b"POST / HTTP/1.1\r\nContent-Length: 18446744073709551615\r\n\r\nabc").unwrap();
        assert_eq!(sent, Sent::Body(u64::MAX - 3));
    }

    proptest! {
        #[test]
        fn however_it_is_cut_up_the_server_gets_the_same_bytes(
            bodies in prop::collection::vec(prop::option::of(prop::collection::vec(any::<u8>(), 0..60)), 1..6),
            pieces in prop::collection::vec(1_usize..50, 1..40),
        ) {
            let one = |body: &Option<Vec<u8>>| body.as_ref().map_or(GET.to_vec(), |body| post(body));
            let all: Vec<u8> = bodies.iter().flat_map(one).collect();
            let (mut sent, mut on, mut at) = (Sent::default(), Vec::new(), 0);
            let mut sizes = pieces.iter().cycle();
            while at < all.len() {
                let to = all.len().min(at + sizes.next().unwrap());
                on.extend(sent.take(&all[at..to]).unwrap());
                at = to;
            }
            prop_assert_eq!(on, all);
            prop_assert_eq!(sent, Sent::Nothing);
        }

        #[test]
        fn nothing_that_is_sent_makes_it_panic_or_lose_a_byte(came in prop::collection::vec(any::<u8>(), 0..400)) {
            let mut sent = Sent::default();
            if let Ok(on) = sent.take(&came) {
                let held = if let Sent::Head(head) = sent { head } else { Vec::new() };
                prop_assert_eq!([on, held].concat(), came);
            }
        }
    }

    const SHORT: Limits = Limits {
        head: Duration::from_millis(150),
        body: Duration::from_millis(150),
        idle: Duration::from_millis(400),
        connections: 3,
    };

    /// A gate before a server that answers every whole head with `ok` and goes on.
    async fn gate(limits: Limits) -> SocketAddr {
        let server = TcpListener::bind("127.0.0.1:0").await.unwrap();
        let (inner, listener) = (server.local_addr().unwrap(), TcpListener::bind("127.0.0.1:0").await.unwrap());
        let at = listener.local_addr().unwrap();
        spawn(keep(listener, inner, limits));
        spawn(async move {
            while let Ok((mut client, _)) = server.accept().await {
                spawn(async move {
                    let mut piece = [0; 1024];
                    while let Ok(read @ 1..) = client.read(&mut piece).await {
                        let heads = piece[..read].windows(4).filter(|w| w == b"\r\n\r\n").count();
                        client.write_all("ok".repeat(heads).as_bytes()).await.unwrap();
                    }
                });
            }
        });
        at
    }

    async fn all_of(client: &mut TcpStream) -> String {
        let mut heard = Vec::new();
        // A connection that was cut while bytes were on their way may end with an error; what was heard counts.
        let _ = client.read_to_end(&mut heard).await;
        String::from_utf8(heard).unwrap()
    }

    #[rocket::async_test]
    async fn a_half_sent_head_is_cut_also_when_it_dribbles() {
        let at = gate(SHORT).await;
        let mut silent = TcpStream::connect(at).await.unwrap();
        silent.write_all(b"GET / HTTP/1.1\r\nHo").await.unwrap();
        assert!(all_of(&mut silent).await.starts_with("HTTP/1.1 408 "));
        let (mut hears, mut sends) = TcpStream::connect(at).await.unwrap().into_split();
        let dribble = spawn(async move {
            let mut step = time::interval(Duration::from_millis(20));
            sends.write_all(b"GET / HTTP/1.1\r\nX: ").await?;
            loop {
                step.tick().await;
                if let Err(e) = sends.write_all(b"a").await {
                    return io::Result::<()>::Err(e);
                }
            }
        });
        let mut heard = [0; 12];
        hears.read_exact(&mut heard).await.unwrap();
        assert_eq!(&heard, b"HTTP/1.1 408");
        drop(hears);
        assert!(dribble.await.unwrap().is_err(), "it is not heard any more");
    }

    #[rocket::async_test]
    async fn a_body_that_stops_is_cut_and_a_connection_nobody_uses_ends() {
        let at = gate(SHORT).await;
        let mut client = TcpStream::connect(at).await.unwrap();
        client.write_all(b"POST / HTTP/1.1\r\nContent-Length: 10\r\n\r\n123").await.unwrap();
        assert_eq!(all_of(&mut client).await, "ok", "it was passed on, and then cut");
        let mut client = TcpStream::connect(at).await.unwrap();
        for request in [GET, &post(b"1"), GET] {
            client.write_all(request).await.unwrap();
            let mut heard = [0; 2];
            client.read_exact(&mut heard).await.unwrap();
            assert_eq!(&heard, b"ok");
        }
        assert_eq!(all_of(&mut client).await, "");
    }

    #[rocket::async_test]
    async fn one_address_holds_so_many_connections_and_gets_a_place_again_when_one_ends() {
        let at = gate(Limits { idle: Duration::from_secs(60), ..SHORT }).await;
        let mut held = Vec::new();
        for _ in 0..SHORT.connections {
            let mut client = TcpStream::connect(at).await.unwrap();
            client.write_all(GET).await.unwrap();
            client.read_exact(&mut [0; 2]).await.unwrap();
            held.push(client);
        }
        let mut more = TcpStream::connect(at).await.unwrap();
        assert!(all_of(&mut more).await.starts_with("HTTP/1.1 503 "));
        held.pop();
        // The place is given back when the gate has seen the end of it.
        let again = async {
            loop {
                let mut client = TcpStream::connect(at).await.unwrap();
                let mut heard = [0; 2];
                let sent = client.write_all(GET).await;
                if sent.is_ok() && client.read_exact(&mut heard).await.is_ok() && &heard == b"ok" {
                    break;
                }
            }
        };
        time::timeout(Duration::from_secs(20), again).await.expect("a place");
    }

    #[rocket::async_test]
    async fn whoever_has_finished_asking_still_hears_the_answer() {
        let at = gate(SHORT).await;
        let mut client = TcpStream::connect(at).await.unwrap();
        client.write_all(&[GET, GET].concat()).await.unwrap();
        client.shutdown().await.unwrap();
        assert_eq!(all_of(&mut client).await, "okok");
    }
}
