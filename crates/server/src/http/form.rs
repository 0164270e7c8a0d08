//! Forms with files, whose parts are streamed: neither their heads nor their texts may be of any length.

use std::future::poll_fn;
use std::pin::pin;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::task::Poll;

use axum::body::Body;
use axum::extract::multipart::{Field, Multipart, MultipartError};
use axum::extract::{FromRequest, Request};
use futures::StreamExt;

use crate::problem::Problem;

/// Bytes that are read in search of a part's head before the form is given up: a head is a name and a type.
const HEAD_BYTES: u64 = 64 << 10;

/// The longest text of a part, in bytes.
const TEXT_BYTES: usize = 4 << 10;

/// Bytes received since the head of a part is looked for; [`READING`] while a part is read.
type Looking = Arc<AtomicU64>;

/// Of [`Looking`]: the content of a part is read, which may be long.
const READING: u64 = u64::MAX;

/// The parts of a form.
pub(super) struct Form {
    parts: Multipart,
    looking: Looking,
}

impl Form {
    /// The next part; the one before must have been read to its end, or [skipped](skip).
    pub async fn next(&mut self) -> Result<Option<Field<'_>>, Problem> {
        self.looking.store(0, Ordering::Relaxed);
        let looking = Arc::clone(&self.looking);
        let mut next = pin!(self.parts.next_field());
        let part = poll_fn(|context| match next.as_mut().poll(context) {
            // Nothing more is taken in, and what there is holds no whole head.
            Poll::Pending if looking.load(Ordering::Relaxed) >= HEAD_BYTES => {
                let limit = HEAD_BYTES >> 10;
                Poll::Ready(Err(broken(format!("the head of a part of the form is longer than {limit} kB"))))
            }
            Poll::Pending => Poll::Pending,
            Poll::Ready(part) => Poll::Ready(part.map_err(unreadable)),
        })
        .await;
        looking.store(READING, Ordering::Relaxed);
        part
    }
}

impl<S: Send + Sync> FromRequest<S> for Form {
    type Rejection = Problem;

    async fn from_request(request: Request, state: &S) -> Result<Self, Problem> {
        let looking: Looking = Arc::new(AtomicU64::new(0));
        let received = Arc::clone(&looking);
        let request = request.map(|body| {
            let mut pieces = body.into_data_stream();
            let mut has_some = false;
            Body::from_stream(futures::stream::poll_fn(move |context| {
                // Who reads the form takes all that there is before it looks at any of it: it gets one piece at a time.
                if std::mem::take(&mut has_some) {
                    context.waker().wake_by_ref();
                    return Poll::Pending;
                }
                let before = received.load(Ordering::Relaxed);
                if before != READING && before >= HEAD_BYTES {
                    return Poll::Pending;
                }
                let piece = pieces.poll_next_unpin(context);
                has_some = matches!(&piece, Poll::Ready(Some(Ok(_))));
                if let (Poll::Ready(Some(Ok(piece))), true) = (&piece, before != READING) {
                    received.fetch_add(piece.len() as u64, Ordering::Relaxed);
                }
                piece
            }))
        });
        let parts = Multipart::from_request(request, state).await.map_err(|e| broken(e.body_text()))?;
        Ok(Self { parts, looking })
    }
}

/// Reads a part to its end and leaves it.
pub(super) async fn skip(mut part: Field<'_>) -> Result<(), Problem> {
    while part.chunk().await.map_err(unreadable)?.is_some() {}
    Ok(())
}

/// A part that is a short text.
pub(super) async fn text(mut part: Field<'_>) -> Result<String, Problem> {
    let mut text = Vec::new();
    while let Some(piece) = part.chunk().await.map_err(unreadable)? {
        text.extend_from_slice(&piece);
        if text.len() > TEXT_BYTES {
            return Err(broken(format!("a text of the form is longer than {} kB", TEXT_BYTES >> 10)));
        }
    }
    String::from_utf8(text).map_err(|_| broken("a text of the form is not UTF-8"))
}

/// What a form that breaks off or makes no sense is told as.
pub(super) fn unreadable(error: MultipartError) -> Problem {
    broken(error.body_text())
}

fn broken(why: impl ToString) -> Problem {
    Problem::bad_request("request.form", why)
}

#[cfg(test)]
mod tests {
    use axum::body::Bytes;
    use axum::extract::DefaultBodyLimit;
    use futures::stream;

    use super::*;

    const TYPE: &str = "multipart/form-data; boundary=vases";

    /// The form of a request whose body comes in these pieces.
    async fn form(pieces: Vec<Vec<u8>>) -> Form {
        let body = Body::from_stream(stream::iter(
            pieces.into_iter().map(|piece| Ok::<_, std::io::Error>(Bytes::from(piece))),
        ));
        let mut request = Request::builder().header("content-type", TYPE).body(body).unwrap();
        // As the router does: files have a limit of their own.
        DefaultBodyLimit::disable().apply(&mut request);
        Form::from_request(request, &()).await.unwrap_or_else(|problem| panic!("{}", problem.detail))
    }

    fn part(name: &str, content: &[u8]) -> Vec<u8> {
        let head = format!("--vases\r\nContent-Disposition: form-data; name=\"{name}\"\r\n\r\n");
        [head.as_bytes(), content, b"\r\n"].concat()
    }

    #[tokio::test]
    async fn a_head_without_end_is_given_up_early() {
        let mut pieces = vec![part("first", b"one"), b"--vases\r\nX: ".to_vec()];
        pieces.extend((0..10_000).map(|_| vec![b'x'; 8 << 10]));
        let mut form = form(pieces).await;
        let first = form.next().await.unwrap_or_else(|problem| panic!("{}", problem.detail)).unwrap();
        assert_eq!(text(first).await.unwrap(), "one");
        let problem = form.next().await.err().unwrap();
        assert!(problem.detail.contains("64 kB"), "{}", problem.detail);
        assert!(form.looking.load(Ordering::Relaxed) == READING);
    }

    #[tokio::test]
    async fn long_parts_and_many_of_them_pass_and_long_texts_do_not() {
        let long = vec![b'y'; 3 << 20];
        let mut body: Vec<u8> = (0..3000).flat_map(|i| part(&format!("n{i}"), b"short")).collect();
        body.extend(part("long", &long));
        body.extend(part("text", &long));
        body.extend(b"--vases--\r\n");
        let mut form = form(body.chunks(100_000).map(<[u8]>::to_vec).collect()).await;
        for i in 0..3000 {
            let short = form.next().await.unwrap().unwrap();
            assert_eq!(short.name(), Some(&*format!("n{i}")));
            skip(short).await.unwrap();
        }
        let mut received = 0;
        let mut part = form.next().await.unwrap().unwrap();
        while let Some(piece) = part.chunk().await.unwrap() {
            received += piece.len();
        }
        assert_eq!(received, long.len());
        drop(part);
        let part = form.next().await.unwrap().unwrap();
        assert!(text(part).await.unwrap_err().detail.contains("4 kB"));
    }
}
