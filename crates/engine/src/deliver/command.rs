//! Delivery to a command that reads a digest on standard input.

use std::process::Stdio;
use std::time::Duration;

use tokio::io::{AsyncRead, AsyncReadExt, AsyncWriteExt};
use tokio::process::Command;

use super::DeliveryError;

/// How much of the end of its standard error is kept.
const MOST_SAID: usize = 8 * 1024;

/// The URL of a fleet's database, with its password: of no use to a command that reads a digest.
const DATABASE: &str = "RUMMAGE_DATABASE_URL";

/// Starts a command with these arguments, writes the text to its standard input, and waits for
/// it, at most this long. Its standard output is discarded. Dropping the future ends the command.
///
/// # Errors
/// If it cannot be started, takes too long, or ends with another exit code than 0.
pub async fn hand_over(
    words: &[String],
    text: &str,
    time_limit: Duration,
) -> Result<(), DeliveryError> {
    let name = words.first().cloned().unwrap_or_default();
    let start = |why| DeliveryError::Start { command: name.clone(), why };
    let mut child = Command::new(&name)
        .env_remove(DATABASE)
        .args(words.iter().skip(1))
        .stdin(Stdio::piped())
        .stdout(Stdio::null())
        .stderr(Stdio::piped())
        .kill_on_drop(true)
        .spawn()
        .map_err(start)?;
    let mut input = child.stdin.take().expect("it was requested");
    let errors = child.stderr.take().expect("it was requested");
    let talk = async {
        let write = async {
            // A command may succeed without reading everything.
            let _ = input.write_all(text.as_bytes()).await;
            drop(input);
        };
        let ((), said, status) = tokio::join!(write, end_of(errors), child.wait());
        status.map(|status| (status, said))
    };
    let (status, said) = match tokio::time::timeout(time_limit, talk).await {
        Ok(ended) => ended.map_err(start)?,
        Err(_) => {
            let seconds = time_limit.as_secs();
            return Err(DeliveryError::TooLong { command: name, seconds });
        }
    };
    if status.success() {
        return Ok(());
    }
    let how = status.code().map_or_else(|| status.to_string(), |code| code.to_string());
    let said = String::from_utf8_lossy(&said);
    let last = said.lines().rfind(|line| !line.trim().is_empty());
    let said = last.map(|line| format!(": {}", line.trim())).unwrap_or_default();
    Err(DeliveryError::Ended { command: name, how, said })
}

/// Reads to the end, and keeps the last of it.
async fn end_of(mut source: impl AsyncRead + Unpin) -> Vec<u8> {
    let mut kept = Vec::new();
    let mut piece = vec![0; MOST_SAID];
    while let Ok(length @ 1..) = source.read(&mut piece).await {
        kept.extend_from_slice(&piece[..length]);
        kept.drain(..kept.len().saturating_sub(MOST_SAID));
    }
    kept
}

#[cfg(all(test, unix))]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    async fn run(script: &str, text: &str) -> Result<(), String> {
        let words = ["sh", "-c", script].map(str::to_owned);
        hand_over(&words, text, Duration::from_secs(60)).await.map_err(|error| error.to_string())
    }

    #[tokio::test]
    async fn a_command_reads_the_whole_text() {
        let folder = tempfile::TempDir::new().unwrap();
        let file = folder.path().join("got");
        let text = "a digest ".repeat(50_000);
        run(&format!("cat > '{}'", file.display()), &text).await.unwrap();
        assert_eq!(std::fs::read_to_string(file).unwrap(), text);
    }

    #[tokio::test]
    async fn the_message_of_a_failed_command_is_reported() {
        let failed = run("cat >/dev/null; echo first >&2; echo no room >&2; echo >&2; exit 3", "x");
        assert_eq!(failed.await.unwrap_err(), "sh ended with 3: no room");
        assert_eq!(run("exit 4", "x").await.unwrap_err(), "sh ended with 4");
        let killed = run("kill -9 $$", "x").await.unwrap_err();
        assert!(killed.starts_with("sh ended with signal: 9"), "{killed}");
    }

    #[tokio::test]
    async fn a_command_may_ignore_its_input_and_write_a_lot() {
        run("exit 0", &"x".repeat(1 << 20)).await.unwrap();
        let talk = "i=0; while [ $i -lt 20000 ]; do echo $i is a line; i=$((i+1)); done";
        run(&format!("{talk}; ({talk}) >&2"), "x").await.unwrap();
    }

    #[tokio::test]
    async fn only_the_end_of_what_a_command_says_is_kept() {
        let source = vec![b'x'; 5 << 20];
        assert_eq!(end_of(&source[..]).await.len(), MOST_SAID);
        let talk = "i=0; while [ $i -lt 20000 ]; do echo $i is a line; i=$((i+1)); done >&2";
        let script = format!("{talk}; echo full >&2; exit 1");
        let failed = run(&script, "x");
        assert!(failed.await.unwrap_err().ends_with("full"));
    }

    #[tokio::test]
    async fn a_command_that_never_ends_is_killed() {
        let words = ["sh", "-c", "while :; do :; done"].map(str::to_owned);
        let error = hand_over(&words, "x", Duration::from_millis(100)).await.unwrap_err();
        assert!(matches!(error, DeliveryError::TooLong { .. }), "{error:?}");
    }

    #[tokio::test]
    async fn a_missing_command_is_named() {
        let error =
            hand_over(&["./not-there".to_owned()], "x", Duration::from_secs(60)).await.unwrap_err();
        assert!(matches!(error, DeliveryError::Start { .. }), "{error:?}");
        assert!(error.to_string().starts_with("cannot start ./not-there: "));
        assert!(
            hand_over(&[], "x", Duration::from_secs(60)).await.is_err(),
            "no arguments, no command"
        );
    }
}
