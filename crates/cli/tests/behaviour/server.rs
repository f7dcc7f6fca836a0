//! A small web server on the loopback, which can be as bad as servers are.

use std::collections::BTreeMap;
use std::io::{BufRead as _, BufReader, Read, Write};
use std::net::{Shutdown, TcpListener, TcpStream};
use std::sync::{Arc, Mutex};
use std::thread;
use std::time::Duration;

use rustls::pki_types::PrivateKeyDer;
use rustls::{ServerConfig, ServerConnection, StreamOwned};

/// What was asked for.
#[derive(Debug, Clone)]
pub struct Request {
    /// The path with its query.
    pub path: String,
    /// How many requests for this path came before.
    pub before: usize,
    headers: BTreeMap<String, String>,
}

impl Request {
    pub fn header(&self, name: &str) -> Option<&str> {
        self.headers.get(name).map(String::as_str)
    }
}

/// What is answered.
#[derive(Debug, Clone)]
pub struct Reply {
    pub status: u16,
    pub headers: Vec<(&'static str, String)>,
    pub body: Vec<u8>,
    /// So many bytes of the body are sent; then the connection is closed.
    pub sent: usize,
    /// How long the server waits between pieces of 1,000 bytes.
    pub pause: Duration,
}

impl Reply {
    pub fn of(status: u16, body: impl Into<Vec<u8>>) -> Self {
        let body = body.into();
        Self { status, headers: Vec::new(), sent: body.len(), body, pause: Duration::ZERO }
    }

    pub fn to(status: u16, location: &str) -> Self {
        Self::of(status, "").with("Location", location)
    }

    pub fn with(mut self, name: &'static str, value: &str) -> Self {
        self.headers.push((name, value.to_owned()));
        self
    }

    /// Breaks off after so many bytes.
    pub fn cut(mut self, after: usize) -> Self {
        self.sent = after.min(self.body.len());
        self
    }

    /// A file whose rest can be asked for, as long as it is the same.
    pub fn file(request: &Request, bytes: &[u8], tag: &str) -> Self {
        let first: Option<usize> = request
            .header("range")
            .and_then(|range| range.strip_prefix("bytes=")?.strip_suffix('-')?.parse().ok())
            .filter(|first| *first < bytes.len() && request.header("if-range").is_none_or(|known| known == tag));
        match first {
            None => Self::of(200, bytes).with("ETag", tag),
            Some(first) => Self::of(206, &bytes[first..])
                .with("ETag", tag)
                .with("Content-Range", &format!("bytes {first}-{}/{}", bytes.len() - 1, bytes.len())),
        }
    }
}

/// The server; it ends with the test program.
#[derive(Debug, Clone)]
pub struct Server {
    /// Its address, without a slash at the end.
    pub address: String,
    requests: Arc<Mutex<Vec<Request>>>,
}

impl Server {
    pub fn new(answer: impl Fn(&Request) -> Reply + Send + Sync + 'static) -> Self {
        Self::serve("http", answer, |stream, respond| respond(&mut &stream))
    }

    /// The same over TLS, with the certificate of an authority of its own, in PEM.
    pub fn secure(answer: impl Fn(&Request) -> Reply + Send + Sync + 'static) -> (Self, String) {
        let authority_key = rcgen::KeyPair::generate().unwrap();
        let mut parameters = rcgen::CertificateParams::new(Vec::new()).unwrap();
        parameters.is_ca = rcgen::IsCa::Ca(rcgen::BasicConstraints::Unconstrained);
        let authority = parameters.self_signed(&authority_key).unwrap();
        let issuer = rcgen::Issuer::new(parameters, authority_key);
        let key = rcgen::KeyPair::generate().unwrap();
        let names = vec!["localhost".to_owned(), "127.0.0.1".to_owned()];
        let own = rcgen::CertificateParams::new(names).unwrap().signed_by(&key, &issuer).unwrap();
        let provider = Arc::new(rustls::crypto::ring::default_provider());
        let config = ServerConfig::builder_with_provider(provider).with_safe_default_protocol_versions().unwrap();
        let key = PrivateKeyDer::try_from(key.serialize_der()).unwrap();
        let config = Arc::new(config.with_no_client_auth().with_single_cert(vec![own.der().clone()], key).unwrap());
        let wrap = move |stream: TcpStream, respond: &dyn Fn(&mut dyn Both)| {
            let mut stream = StreamOwned::new(ServerConnection::new(Arc::clone(&config)).unwrap(), stream);
            respond(&mut stream);
        };
        (Self::serve("https", answer, wrap), authority.pem())
    }

    fn serve(
        scheme: &str,
        answer: impl Fn(&Request) -> Reply + Send + Sync + 'static,
        wrap: impl Fn(TcpStream, &dyn Fn(&mut dyn Both)) + Send + Sync + 'static,
    ) -> Self {
        let listener = TcpListener::bind("127.0.0.1:0").unwrap();
        let address = format!("{scheme}://localhost:{}", listener.local_addr().unwrap().port());
        let requests: Arc<Mutex<Vec<Request>>> = Arc::default();
        let (known, both) = (Arc::clone(&requests), Arc::new((answer, wrap)));
        thread::spawn(move || {
            for stream in listener.incoming().flatten() {
                let (known, both) = (Arc::clone(&known), Arc::clone(&both));
                thread::spawn(move || {
                    let end = stream.try_clone();
                    (both.1)(stream, &|stream| respond(stream, &known, &both.0));
                    let _ = end.map(|stream| stream.shutdown(Shutdown::Both));
                });
            }
        });
        Self { address, requests }
    }

    /// The paths that were asked for, in order.
    pub fn asked(&self) -> Vec<String> {
        self.requests.lock().unwrap().iter().map(|request| request.path.clone()).collect()
    }

    /// The header of each request for a path.
    pub fn headers(&self, path: &str, name: &str) -> Vec<Option<String>> {
        let requests = self.requests.lock().unwrap();
        let of_path = requests.iter().filter(|request| request.path == path);
        of_path.map(|request| request.header(name).map(str::to_owned)).collect()
    }
}

/// A connection, both ways.
pub trait Both: Read + Write {}

impl<T: Read + Write> Both for T {}

/// The lines of a request.
fn head(stream: &mut dyn Both) -> Vec<String> {
    let lines = BufReader::new(stream).lines().map_while(Result::ok);
    lines.map(|line| line.trim().to_owned()).take_while(|line| !line.is_empty()).collect()
}

/// Reads one request and answers it. Whoever is gone meanwhile does not want the answer.
fn respond(stream: &mut dyn Both, known: &Mutex<Vec<Request>>, answer: &dyn Fn(&Request) -> Reply) {
    let mut lines = head(stream);
    // As a proxy it answers for everybody.
    if lines.first().is_some_and(|line| line.starts_with("CONNECT ")) {
        let _ = stream.write_all(b"HTTP/1.1 200 x\r\n\r\n");
        lines = head(stream);
    }
    let Some(path) = lines.first().and_then(|line| line.split(' ').nth(1)) else { return };
    let headers = lines.iter().skip(1).filter_map(|line| line.split_once(':'));
    let headers = headers.map(|(name, value)| (name.to_ascii_lowercase(), value.trim().to_owned())).collect();
    let request = {
        let mut known = known.lock().unwrap();
        let before = known.iter().filter(|other| other.path == path).count();
        let request = Request { path: path.to_owned(), before, headers };
        known.push(request.clone());
        request
    };
    let reply = answer(&request);
    let mut head = format!("HTTP/1.1 {} x\r\nConnection: close\r\n", reply.status);
    if !reply.headers.iter().any(|(name, _)| ["Content-Length", "Transfer-Encoding"].contains(name)) {
        head.push_str(&format!("Content-Length: {}\r\n", reply.body.len()));
    }
    reply.headers.iter().for_each(|(name, value)| head.push_str(&format!("{name}: {value}\r\n")));
    let _ = stream.write_all(format!("{head}\r\n").as_bytes());
    for piece in reply.body[..reply.sent].chunks(if reply.pause.is_zero() { 1 << 20 } else { 1000 }) {
        thread::sleep(reply.pause);
        if stream.write_all(piece).and_then(|()| stream.flush()).is_err() {
            return;
        }
    }
    let _ = stream.flush();
}
