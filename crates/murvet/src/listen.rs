//! Connections of the server: each has so long to say what it asks for, there are so many at once, and at the end what is under way is
//! waited for a while.

use axum::Router;
use axum::body::Body;
use axum::extract::ConnectInfo;
use hyper::body::Incoming;
use hyper::server::conn::http1;
use hyper::service::service_fn;
use hyper_util::rt::{TokioIo, TokioTimer};
use hyper_util::server::graceful::GracefulShutdown;
use std::sync::Arc;
use std::time::Duration;
use tokio::net::TcpListener;
use tokio::sync::Semaphore;
use tower::ServiceExt;

/// How long the head of a request may take, and how long a connection may stay open without one.
const HEAD: Duration = Duration::from_secs(15);

/// Connections at once. More wait in the machine's own queue until one is over.
const MOST: usize = 1024;

/// How long a server that is asked to end waits for requests that are under way.
const PATIENCE: Duration = Duration::from_secs(5);

/// How long one waits after a connection could not be taken, for instance because no more files may be open.
const AGAIN: Duration = Duration::from_millis(200);

/// Serves until it is asked to end, and then no longer than [`PATIENCE`]: what is half sent by then is not waited for.
pub(crate) async fn listen(socket: TcpListener, app: Router, asked_to_end: impl Future<Output = ()>) {
    let graceful = GracefulShutdown::new();
    let places = Arc::new(Semaphore::new(MOST));
    let mut end = std::pin::pin!(asked_to_end);
    loop {
        let taken = async {
            let place = places.clone().acquire_owned().await;
            (place, socket.accept().await)
        };
        let (place, accepted) = tokio::select! {
            taken = taken => taken,
            () = &mut end => break,
        };
        let (Ok(place), Ok((stream, from))) = (place, accepted) else {
            tokio::time::sleep(AGAIN).await;
            continue;
        };
        let app = app.clone();
        let service = service_fn(move |mut request: hyper::Request<Incoming>| {
            request.extensions_mut().insert(ConnectInfo(from));
            app.clone().oneshot(request.map(Body::new))
        });
        let mut http = http1::Builder::new();
        http.timer(TokioTimer::new()).header_read_timeout(HEAD);
        let connection = graceful.watch(http.serve_connection(TokioIo::new(stream), service));
        tokio::spawn(async move {
            // A connection that breaks off is the client's affair; what it asked for has its own line in the log.
            let _ = connection.await;
            drop(place);
        });
    }
    drop(socket);
    let _ = tokio::time::timeout(PATIENCE, graceful.shutdown()).await;
}
