//! A server of its own for each test, a client that keeps cookies, and a browser.

use std::io::{BufRead, BufReader, Lines};
use std::path::Path;
use std::process::{Child, ChildStdout, Command, Stdio};
use std::time::{Duration, Instant};

use reqwest::multipart::{Form, Part};
use reqwest::{Client, Response, redirect};
use tempfile::TempDir;
use thirtyfour::prelude::*;

pub const BINARY: &str = env!("CARGO_BIN_EXE_mend-keel");

/// The real binary on a free port over a folder of its own; killed when the test ends.
pub struct Server {
    child: Child,
    pub base: String,
    pub folder: TempDir,
}

impl Server {
    pub fn demo() -> Self {
        Self::start("demo", TempDir::new().unwrap())
    }

    pub fn serve() -> Self {
        Self::start("serve", TempDir::new().unwrap())
    }

    pub fn start(mode: &str, folder: TempDir) -> Self {
        Self::start_at(mode, folder, "0")
    }

    /// The same at a port, where a page that was open before finds it again.
    pub fn start_at(mode: &str, folder: TempDir, port: &str) -> Self {
        let data = folder.path().to_owned();
        Self::start_with(mode, folder, &data, port)
    }

    /// In a folder that somebody else looks after.
    pub fn start_in(mode: &str, data: &Path) -> Self {
        Self::start_with(mode, TempDir::new().unwrap(), data, "0")
    }

    pub fn data(&self) -> &Path {
        self.folder.path()
    }

    fn start_with(mode: &str, folder: TempDir, data: &Path, port: &str) -> Self {
        let mut child = Command::new(BINARY)
            .args([mode, "--port", port, "--data"])
            .arg(data)
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let mut lines = BufReader::new(child.stdout.take().unwrap()).lines();
        let line = lines.find_map(|l| l.ok().filter(|l| l.contains("http://"))).expect("the server says where it is");
        // What it says later must not fill the pipe, nor break it.
        std::thread::spawn(move || lines.for_each(drop));
        let base =
            line.split_whitespace().find(|word| word.starts_with("http://")).unwrap().trim_end_matches('/').to_owned();
        Self { child, base, folder }
    }

    pub fn port(&self) -> String {
        self.base.rsplit(':').next().unwrap().to_owned()
    }

    /// Changes her data behind the program's back: what the clock would take hours for.
    pub async fn sql(&self, sql: &'static str) {
        let options = sqlx_sqlite::SqliteConnectOptions::new().filename(self.folder.path().join("mend-keel.db"));
        let pool = sqlx_sqlite::SqlitePool::connect_with(options).await.unwrap();
        let done = sqlx::query(sql).execute(&pool).await.unwrap();
        assert!(done.rows_affected() > 0, "{sql} changed nothing");
        pool.close().await;
    }

    /// `kill -9`, leaving the folder behind.
    pub fn kill(mut self) -> TempDir {
        self.child.kill().unwrap();
        self.child.wait().unwrap();
        std::mem::replace(&mut self.folder, TempDir::new().unwrap())
    }
}

impl Drop for Server {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// A page as it reads, however its template is broken into lines: white space is one space, and none between two tags. What
/// stands in a field of several lines is left as it is.
pub fn flat(html: &str) -> String {
    let mut out = String::new();
    for (n, part) in html.split("<textarea").enumerate() {
        let (field, rest) = if n == 0 { ("", part) } else { part.split_at(part.find("</textarea>").unwrap_or(0)) };
        if n > 0 {
            out.push_str("<textarea");
            out.push_str(field);
        }
        let words = rest.split_whitespace().collect::<Vec<_>>().join(" ");
        let open = if rest.starts_with(char::is_whitespace) { " " } else { "" };
        let close = if rest.ends_with(char::is_whitespace) { " " } else { "" };
        out.push_str(&format!("{open}{words}{close}").replace("> <", "><"));
    }
    out
}

/// A person's browser without the browser: cookies are kept, redirects are not followed.
#[derive(Clone)]
pub struct Visitor {
    pub client: Client,
    pub base: String,
}

/// An answer, read.
#[derive(Debug)]
pub struct Answer {
    pub status: u16,
    pub location: String,
    pub policy: String,
    pub text: String,
}

impl Visitor {
    pub fn new(server: &Server) -> Self {
        let client = Client::builder().cookie_store(true).redirect(redirect::Policy::none()).build().unwrap();
        Self { client, base: server.base.clone() }
    }

    async fn read(response: Response) -> Answer {
        let header = |name| response.headers().get(name).and_then(|v| v.to_str().ok()).unwrap_or_default().to_owned();
        let (location, policy) = (header("location"), header("content-security-policy"));
        let html = response.headers().get("content-type").is_some_and(|kind| kind.as_bytes().starts_with(b"text/html"));
        let status = response.status().as_u16();
        let text = response.text().await.unwrap();
        let text = if html { flat(&text) } else { text };
        Answer { status, location, policy, text }
    }

    pub async fn get(&self, path: &str) -> Answer {
        Self::read(self.client.get(format!("{}{path}", self.base)).send().await.unwrap()).await
    }

    /// Fills and sends the form with this action that stands on a page.
    pub async fn send(&self, page: &str, action: &str, fields: &[(&str, &str)]) -> Answer {
        let keys = keys(&self.get(page).await.text, action);
        self.post(action, &with_keys(&keys, fields)).await
    }

    /// Writes a finding down that was seen by looking.
    pub async fn found(&self, boat: i64, at: &str, fields: &[(&str, &str)]) {
        let page = format!("/boats/{boat}/findings/new?at={}", at.replace(' ', "%20"));
        let seen = [("method", "look"), ("grade", "renew"), ("certainty", "confirmed"), ("cause", "grounding")];
        let answer = self.send(&page, &page, &[&seen[..], fields].concat()).await;
        assert_eq!(answer.status, 303, "{at}: {}", answer.text);
    }

    /// A piece on the timber page of a boat, by what it is called: its number, and what stands beside the boards when it is chosen.
    pub async fn on_timber(&self, boat: i64, name: &str) -> (i64, String) {
        let page = self.get(&format!("/boats/{boat}/timber")).await.text;
        let chips: Vec<&str> =
            page.split("<a class=\"chip\"").skip(1).map(|c| c.split("</a>").next().unwrap()).collect();
        let chip = chips.iter().find(|c| c.contains(name)).unwrap_or_else(|| panic!("no {name} among {chips:?}"));
        let id = chip.split_once("timber?piece=").unwrap().1.split('"').next().unwrap();
        let chosen = self.get(&format!("/boats/{boat}/timber?piece={id}")).await.text;
        let side = chosen.split_once("<aside class=\"bench-side\"").expect("what belongs to it").1;
        (id.parse().unwrap(), side.to_owned())
    }

    /// Decides on the part whose row on Decide says so; the number of the part.
    pub async fn decided(&self, boat: i64, name: &str, option: &str) -> String {
        let list = self.get(&format!("/boats/{boat}/decide")).await.text;
        let row = list.split("<tr").find(|row| row.contains(name)).unwrap_or_else(|| panic!("{name}: {list}"));
        let link = row.split_once(&format!("/boats/{boat}/parts/")).expect("the way to its options").1;
        let part = link.split('/').next().unwrap().to_owned();
        let page = format!("/boats/{boat}/parts/{part}/decide");
        let fields = [("option", option), ("reason", "as a case asks for"), ("against", "to see what comes of it")];
        let kept = self.send(&page, &page, &fields).await;
        assert_eq!(kept.status, 303, "{name}: {}", kept.text);
        part
    }

    pub async fn post(&self, action: &str, fields: &[(String, String)]) -> Answer {
        let url = format!("{}{}", self.base, action.replace("&amp;", "&"));
        Self::read(self.client.post(url).form(fields).send().await.unwrap()).await
    }

    /// A file as it is downloaded.
    pub async fn get_bytes(&self, path: &str) -> Vec<u8> {
        let answer = self.client.get(format!("{}{path}", self.base)).send().await.unwrap();
        assert_eq!(answer.status().as_u16(), 200, "{path}");
        answer.bytes().await.unwrap().to_vec()
    }

    /// Fields with a file that was picked.
    pub async fn post_file(&self, action: &str, fields: &[(String, String)], file: Vec<u8>) -> Answer {
        self.post_as("file", action, fields, file).await
    }

    /// The same with the file in a field of this name.
    pub async fn post_as(&self, field: &str, action: &str, fields: &[(String, String)], file: Vec<u8>) -> Answer {
        let part = Part::bytes(file).file_name("picked");
        let form = fields.iter().fold(Form::new(), |form, (name, value)| form.text(name.clone(), value.clone()));
        let form = form.part(field.to_owned(), part);
        Self::read(self.client.post(format!("{}{action}", self.base)).multipart(form).send().await.unwrap()).await
    }

    /// The same as several parts, with a photo.
    pub async fn send_photo(&self, page: &str, action: &str, fields: &[(&str, &str)], photo: Vec<u8>) -> Answer {
        let keys = keys(&self.get(page).await.text, action);
        let mut form = Form::new();
        for (name, value) in with_keys(&keys, fields) {
            form = form.text(name, value);
        }
        form = form.part("photo", Part::bytes(photo).file_name("seen.jpg"));
        let url = format!("{}{}", self.base, action.replace("&amp;", "&"));
        Self::read(self.client.post(url).multipart(form).send().await.unwrap()).await
    }
}

pub fn with_keys(keys: &[(String, String)], fields: &[(&str, &str)]) -> Vec<(String, String)> {
    keys.iter().cloned().chain(fields.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned()))).collect()
}

/// The hidden fields of the form with this action.
pub fn keys(html: &str, action: &str) -> Vec<(String, String)> {
    let at = html.find(&format!("action=\"{action}\"")).unwrap_or_else(|| panic!("no form for {action} in: {html}"));
    let form = &html[at..at + html[at..].find("</form>").unwrap()];
    form.split("<input type=\"hidden\"")
        .skip(1)
        .map(|part| {
            let value = |name: &str| {
                part.split(&format!("{name}=\"")).nth(1).and_then(|v| v.split('"').next()).unwrap().to_owned()
            };
            (value("name"), value("value"))
        })
        .collect()
}

/// Fields of an ordinary boat.
pub const BOAT: [(&str, &str); 14] = [
    ("name", "Test Plover"),
    ("construction", "carvel_caulked"),
    ("year", "1936"),
    ("boat_use", "coastal"),
    ("school", "conserve"),
    ("length", "7.2 m"),
    ("beam", "2.3 m"),
    ("depth", "1250"),
    ("frames", "26"),
    ("strakes", "11"),
    ("plank_thickness", "22"),
    ("plank_species", "western_larch"),
    ("frame_species", "white_oak"),
    ("frame_sided", "40"),
];

/// Fields of an ordinary finding.
pub const CRACK: [(&str, &str); 7] = [
    ("kind", "crack"),
    ("method", "look"),
    ("grade", "mend"),
    ("certainty", "confirmed"),
    ("cause", "grounding"),
    ("depth", "8"),
    ("shape", "30, 55\n170, 60"),
];

pub fn but(
    fields: &[(&'static str, &'static str)],
    name: &'static str,
    value: &'static str,
) -> Vec<(&'static str, &'static str)> {
    fields.iter().map(|(k, v)| if *k == name { (name, value) } else { (*k, *v) }).collect()
}

/// A driver and a headless browser of its own.
pub struct Browser {
    driver_process: Child,
    pub page: WebDriver,
    base: String,
    _profile: TempDir,
}

/// How long a condition may take before a test gives up.
pub const PATIENCE: Duration = Duration::from_secs(20);

/// A driver with its port and what else it has to say; `None` where it ended before it had one.
fn start_driver() -> Option<(Child, u16, Lines<BufReader<ChildStdout>>)> {
    let mut process = Command::new("chromedriver")
        .arg("--port=0")
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .expect("chromedriver: run ./scripts/test");
    let mut lines = BufReader::new(process.stdout.take().unwrap()).lines();
    let port = lines
        .find_map(|line| line.ok()?.split("successfully on port ").nth(1)?.trim_end_matches('.').parse::<u16>().ok());
    if port.is_none() {
        process.wait().unwrap();
    }
    Some((process, port?, lines))
}

impl Browser {
    pub async fn open(server: &Server, width: u32, height: u32) -> Self {
        // The port it finds free it takes a moment later, for two families of addresses; when another process was faster it ends without
        // a word, and a new one is started.
        let (driver_process, port, lines) =
            (0..5).find_map(|_| start_driver()).expect("chromedriver says its port, in one of five tries");
        // Whatever else it has to say must not fill the pipe.
        std::thread::spawn(move || lines.for_each(drop));
        let profile = TempDir::new().unwrap();
        let mut caps = DesiredCapabilities::chrome();
        for arg in [
            "--headless",
            "--no-sandbox",
            "--disable-gpu",
            "--disable-dev-shm-usage",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--no-first-run",
            "--hide-scrollbars",
            &format!("--user-data-dir={}", profile.path().display()),
            &format!("--window-size={width},{height}"),
        ] {
            caps.add_arg(arg).unwrap();
        }
        let page = WebDriver::new(format!("http://127.0.0.1:{port}"), caps).await.unwrap();
        if width < 500 {
            // Headless windows are never narrower than 500: the phone's size is set on the frame inside.
            page.set_window_rect(0, 0, width, height).await.unwrap();
        }
        Self { driver_process, page, base: server.base.clone(), _profile: profile }
    }

    pub async fn go(&self, path: &str) {
        self.page.goto(format!("{}{path}", self.base)).await.unwrap();
    }

    /// The first element there, once there is one.
    pub async fn find(&self, css: &str) -> WebElement {
        self.page
            .query(By::Css(css))
            .wait(PATIENCE, Duration::from_millis(40))
            .first()
            .await
            .unwrap_or_else(|e| panic!("{css}: {e}"))
    }

    /// An element of this kind that holds a text, once there is one.
    pub async fn find_text(&self, css: &str, text: &str) -> WebElement {
        let (text, wanted) = (text.to_owned(), text.to_owned());
        self.page
            .query(By::Css(css))
            .with_filter(move |e: WebElement| {
                let text = text.clone();
                // An element may be replaced between being found and being read.
                async move { Ok(e.text().await.is_ok_and(|shown| shown.contains(&text))) }
            })
            .wait(PATIENCE, Duration::from_millis(40))
            .first()
            .await
            .unwrap_or_else(|e| panic!("{css} with “{wanted}”: {e}"))
    }

    pub async fn click(&self, css: &str) {
        self.press(&self.find(css).await).await;
    }

    pub async fn press(&self, element: &WebElement) {
        // To the middle: sticky bars lie over the page's edges.
        let to = "arguments[0].scrollIntoView({ block: 'center', behavior: 'instant' })";
        self.page.execute(to, vec![element.to_json().unwrap()]).await.unwrap();
        element.click().await.unwrap();
    }

    /// Opens the yard's menu, where its pages are inside a boat, and the surfaces everywhere.
    pub async fn open_menu(&self) {
        self.click(".yard-menu summary").await;
        self.comes_true("document.querySelector('.yard-menu').open").await;
    }

    pub async fn fill(&self, name: &str, value: &str) {
        let field = self.find(&format!("input[name='{name}'], textarea[name='{name}']")).await;
        field.clear().await.unwrap();
        field.send_keys(value).await.unwrap();
    }

    pub async fn choose(&self, name: &str, value: &str) {
        self.click(&format!("select[name='{name}'] option[value='{value}']")).await;
    }

    /// Waits until a script gives true.
    pub async fn comes_true(&self, script: &str) {
        let begun = Instant::now();
        loop {
            let seen = self.page.execute(format!("return Boolean({script})"), vec![]).await;
            // A page that is just being left has no answer.
            if seen.is_ok_and(|answer| answer.convert::<bool>().unwrap_or_default()) {
                return;
            }
            assert!(begun.elapsed() < PATIENCE, "never came true: {script}");
            tokio::task::yield_now().await;
        }
    }

    /// Waits until the address holds a text.
    pub async fn arrives(&self, part: &str) {
        let begun = Instant::now();
        loop {
            let at = self.page.current_url().await.unwrap().to_string();
            if at.contains(part) {
                return;
            }
            let shown = self.page.source().await.unwrap_or_default();
            assert!(begun.elapsed() < PATIENCE, "still at {at}, not at {part}: {shown}");
            tokio::task::yield_now().await;
        }
    }

    pub async fn text(&self) -> String {
        self.find("main").await.text().await.unwrap()
    }

    /// Serious faults that axe finds on the page, by rule.
    pub async fn axe(&self) -> Vec<String> {
        let source = include_str!("../vendor/axe.min.js");
        self.page.execute(source, vec![]).await.unwrap();
        let run = "const done = arguments[arguments.length - 1];
            axe.run({ resultTypes: ['violations'] }).then(r => done(r.violations
                .filter(v => v.impact === 'serious' || v.impact === 'critical')
                .map(v => v.id + ': ' + v.nodes.slice(0, 3).map(n => n.html.slice(0, 160)).join(' | '))));";
        self.page.execute_async(run, vec![]).await.unwrap().convert().unwrap()
    }

    pub async fn close(mut self) {
        self.page.clone().quit().await.unwrap();
        let _ = self.driver_process.kill();
        let _ = self.driver_process.wait();
    }
}

impl Drop for Browser {
    fn drop(&mut self) {
        let _ = self.driver_process.kill();
        let _ = self.driver_process.wait();
    }
}
