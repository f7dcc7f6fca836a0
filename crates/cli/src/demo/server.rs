//! The Tide Office's web server, on the loopback: it has one file.

use std::io::{self, BufRead as _, BufReader, Write as _};
use std::net::{SocketAddr, TcpListener, TcpStream};
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::thread::{self, JoinHandle};
use std::time::Duration;

#[derive(Debug)]
pub struct FileServer {
    address: SocketAddr,
    ends: Arc<AtomicBool>,
    thread: Option<JoinHandle<()>>,
}

impl FileServer {
    pub fn start(file: &Path) -> io::Result<Self> {
        let name = file.file_name().unwrap_or_default().to_string_lossy().into_owned();
        let content = std::fs::read(file)?;
        let listener = TcpListener::bind(("127.0.0.1", 0))?;
        let address = listener.local_addr()?;
        let ends = Arc::new(AtomicBool::new(false));
        let ended = Arc::clone(&ends);
        let thread = thread::spawn(move || {
            for connection in listener.incoming() {
                if ended.load(Ordering::Relaxed) {
                    break;
                }
                if let Ok(stream) = connection {
                    // Whoever hangs up has no answer to wait for.
                    let _ = answer(stream, &name, &content);
                }
            }
        });
        Ok(Self { address, ends, thread: Some(thread) })
    }

    pub fn url(&self) -> String {
        format!("http://{}", self.address)
    }
}

/// Answers a request for one file (RFC 9112).
fn answer(mut stream: TcpStream, name: &str, content: &[u8]) -> io::Result<()> {
    stream.set_read_timeout(Some(Duration::from_secs(5)))?;
    let mut lines = BufReader::new(stream.try_clone()?).lines();
    let request = lines.next().transpose()?.unwrap_or_default();
    while lines.next().transpose()?.is_some_and(|line| !line.is_empty()) {}
    let is_asked_for = request.split(' ').nth(1) == Some(&format!("/{name}"));
    let (status, body) = if is_asked_for { ("200 OK", content) } else { ("404 Not Found", &b""[..]) };
    let length = body.len();
    write!(stream, "HTTP/1.1 {status}\r\nContent-Length: {length}\r\nConnection: close\r\n\r\n")?;
    stream.write_all(body)
}

impl Drop for FileServer {
    fn drop(&mut self) {
        self.ends.store(true, Ordering::Relaxed);
        // One more connection wakes it.
        let woken = TcpStream::connect(self.address);
        if let Some(thread) = self.thread.take().filter(|_| woken.is_ok()) {
            let _ = thread.join();
        }
    }
}
