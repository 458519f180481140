//! Serving: connections that are counted, dropped when nothing comes, and ended when the program is.
//!
//! A browser keeps connections open, a half-open one says nothing for ever, and each takes a file
//! descriptor. So there are at most [`MOST`]; when all are taken, the one that has been idle longest
//! goes.

use crate::http::problem::Problem;
use axum::Router;
use axum::body::Body;
use axum::extract::Request;
use axum::response::{IntoResponse, Response};
use http_body_util::BodyExt;
use hyper::body::Incoming;
use hyper::server::conn::http1;
use hyper_util::rt::{TokioIo, TokioTimer};
use socket2::{SockRef, TcpKeepalive};
use std::collections::BTreeMap;
use std::convert::Infallible;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};
use tokio::net::{TcpListener, TcpStream};
use tokio::sync::Notify;
use tower::ServiceExt;

/// Connections at once: well below the 1024 open files that most systems allow a program.
const MOST: usize = 512;
/// A request's head must arrive within this, and a connection without a request lives no longer.
const HEAD: Duration = Duration::from_secs(30);
/// After this without an answer to a sign of life the other side is gone.
const GONE: Duration = Duration::from_secs(30);
/// What still runs when the program is to stop gets so long.
const LAST: Duration = Duration::from_secs(3);

/// A connection.
#[derive(Debug)]
struct Connection {
    /// Requests on it whose answers are not all sent.
    busy: AtomicUsize,
    /// When the last one began or ended.
    active: Mutex<Instant>,
    end: Notify,
}

/// A request being answered; dropped when its answer is sent.
struct Busy(Arc<Connection>);

impl Busy {
    fn on(connection: &Arc<Connection>) -> Self {
        connection.busy.fetch_add(1, Ordering::Relaxed);
        *lock(&connection.active) = Instant::now();
        Self(Arc::clone(connection))
    }
}

impl Drop for Busy {
    fn drop(&mut self) {
        self.0.busy.fetch_sub(1, Ordering::Relaxed);
        *lock(&self.0.active) = Instant::now();
    }
}

/// All connections, by number.
#[derive(Debug, Clone, Default)]
struct Open(Arc<Mutex<BTreeMap<u64, Arc<Connection>>>>);

fn lock<T>(m: &Mutex<T>) -> MutexGuard<'_, T> {
    m.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Open {
    /// Makes room for one more; false where every connection is at work.
    fn make_room(&self, most: usize) -> bool {
        let mut open = lock(&self.0);
        if open.len() < most {
            return true;
        }
        let idle = open.iter().filter(|(_, c)| c.busy.load(Ordering::Relaxed) == 0);
        let longest = idle.min_by_key(|(_, c)| *lock(&c.active)).map(|(number, _)| *number);
        let gone = longest.and_then(|number| open.remove(&number));
        gone.map(|c| c.end.notify_one()).is_some()
    }
}

/// Serves until `stop`; then what still runs gets a moment.
pub async fn serve(listener: TcpListener, router: Router, stop: impl Future<Output = ()>) {
    serve_at_most(listener, router, stop, MOST).await;
}

async fn serve_at_most(
    listener: TcpListener,
    router: Router,
    stop: impl Future<Output = ()>,
    most: usize,
) {
    let open = Open::default();
    let mut number = 0u64;
    tokio::pin!(stop);
    loop {
        let stream = tokio::select! {
            accepted = listener.accept() => match accepted {
                Ok((stream, _)) => stream,
                Err(e) => {
                    // Out of files: wait until some are closed.
                    tracing::warn!("a connection was not taken: {e}");
                    tokio::time::sleep(Duration::from_millis(100)).await;
                    continue;
                }
            },
            () = &mut stop => break,
        };
        if !open.make_room(most) {
            tokio::spawn(turn_away(stream));
            continue;
        }
        watch_over(&stream);
        let connection = Arc::new(Connection {
            busy: AtomicUsize::new(0),
            active: Mutex::new(Instant::now()),
            end: Notify::new(),
        });
        number += 1;
        lock(&open.0).insert(number, Arc::clone(&connection));
        let (open, router) = (open.clone(), router.clone());
        tokio::spawn(async move {
            answer(stream, router, &connection).await;
            lock(&open.0).remove(&number);
        });
    }
    for connection in lock(&open.0).values() {
        connection.end.notify_one();
    }
    let by = Instant::now() + LAST;
    while !lock(&open.0).is_empty() && Instant::now() < by {
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
}

/// Lets the system notice when the other side is gone.
fn watch_over(stream: &TcpStream) {
    let socket = SockRef::from(stream);
    let alive = TcpKeepalive::new().with_time(GONE / 2).with_interval(Duration::from_secs(5));
    let set = socket.set_tcp_keepalive(&alive).and_then(|()| stream.set_nodelay(true));
    #[cfg(target_os = "linux")]
    let set = set.and_then(|()| socket.set_tcp_user_timeout(Some(GONE)));
    if let Err(e) = set {
        tracing::debug!("a connection is not watched over: {e}");
    }
}

async fn turn_away(stream: TcpStream) {
    let busy = hyper::service::service_fn(|_: hyper::Request<Incoming>| async {
        Ok::<_, Infallible>(Problem::full().into_response())
    });
    let mut http = http1::Builder::new();
    http.keep_alive(false);
    let _ = tokio::time::timeout(LAST, http.serve_connection(TokioIo::new(stream), busy)).await;
}

async fn answer(stream: TcpStream, router: Router, connection: &Arc<Connection>) {
    let service = hyper::service::service_fn(|request: hyper::Request<Incoming>| {
        let (router, busy) = (router.clone(), Busy::on(connection));
        async move {
            let answer: Response = match router.oneshot(Request::from(request.map(Body::new))).await
            {
                Ok(answer) => answer,
                Err(never) => match never {},
            };
            // The request is at work until the last of its answer is sent.
            Ok::<_, Infallible>(answer.map(|body| {
                Body::new(body.map_frame(move |frame| {
                    let _ = &busy;
                    frame
                }))
            }))
        }
    });
    let serving = http1::Builder::new()
        .timer(TokioTimer::new())
        .header_read_timeout(HEAD)
        .serve_connection(TokioIo::new(stream), service);
    tokio::pin!(serving);
    tokio::select! {
        // A connection that broke off is nobody's trouble.
        _ = serving.as_mut() => {}
        () = connection.end.notified() => {
            serving.as_mut().graceful_shutdown();
            let _ = tokio::time::timeout(LAST, serving).await;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use axum::routing::get;
    use tokio::io::{AsyncReadExt, AsyncWriteExt};

    async fn started(
        most: usize,
    ) -> (std::net::SocketAddr, Arc<Notify>, tokio::task::JoinHandle<()>) {
        let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
        let at = listener.local_addr().unwrap();
        let stop = Arc::new(Notify::new());
        let stopped = Arc::clone(&stop);
        let endless =
            || async { Body::from_stream(tokio_stream::pending::<Result<String, Infallible>>()) };
        let router =
            Router::new().route("/", get(|| async { "here" })).route("/endless", get(endless));
        let run = serve_at_most(listener, router, async move { stopped.notified().await }, most);
        (at, stop, tokio::spawn(run))
    }

    async fn ask(stream: &mut TcpStream, path: &str) -> String {
        stream
            .write_all(format!("GET {path} HTTP/1.1\r\nhost: x\r\n\r\n").as_bytes())
            .await
            .unwrap();
        let mut some = [0u8; 2000];
        let n = tokio::time::timeout(Duration::from_secs(5), stream.read(&mut some)).await;
        String::from_utf8_lossy(&some[..n.unwrap().unwrap_or(0)]).into_owned()
    }

    #[tokio::test]
    async fn idle_connections_lock_nobody_out() {
        let (at, ..) = started(8).await;
        let mut idle = Vec::new();
        for _ in 0..40 {
            idle.push(TcpStream::connect(at).await.unwrap());
        }
        let mut one = TcpStream::connect(at).await.unwrap();
        assert!(ask(&mut one, "/").await.contains("here"));
        // The first of the idle ones had to go.
        let mut byte = [0u8];
        let first = tokio::time::timeout(Duration::from_secs(5), idle[0].read(&mut byte)).await;
        assert_eq!(first.unwrap().unwrap_or(0), 0);
    }

    #[tokio::test]
    async fn what_is_at_work_stays_and_more_are_told_so() {
        let (at, ..) = started(4).await;
        let mut streams = Vec::new();
        for _ in 0..4 {
            let mut stream = TcpStream::connect(at).await.unwrap();
            assert!(ask(&mut stream, "/endless").await.contains("200"));
            streams.push(stream);
        }
        let mut more = TcpStream::connect(at).await.unwrap();
        assert!(ask(&mut more, "/").await.contains("application/problem+json"));
        // One leaves, and there is room again.
        drop(streams.pop());
        let mut served = false;
        for _ in 0..50 {
            tokio::time::sleep(Duration::from_millis(40)).await;
            let mut next = TcpStream::connect(at).await.unwrap();
            served = served || ask(&mut next, "/").await.contains("here");
        }
        assert!(served);
    }

    #[tokio::test]
    async fn a_stream_that_never_ends_does_not_hold_up_the_stop() {
        let (at, stop, run) = started(4).await;
        let mut stream = TcpStream::connect(at).await.unwrap();
        assert!(ask(&mut stream, "/endless").await.contains("200"));
        stop.notify_one();
        tokio::time::timeout(LAST + Duration::from_secs(2), run).await.unwrap().unwrap();
    }
}
