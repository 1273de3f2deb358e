//! Delivery to a command that reads a digest on standard input.

use std::process::Stdio;
use std::time::Duration;

use tokio::io::AsyncWriteExt;
use tokio::process::Command;

use super::DeliveryError;

/// How long a command may run.
const TIMEOUT: Duration = Duration::from_secs(60);

/// Starts a command with these arguments, writes the text to its standard input, and waits for
/// it. Its standard output is discarded.
///
/// # Errors
/// If it cannot be started, takes too long, or ends with another exit code than 0.
pub async fn hand_over(words: &[String], text: &str) -> Result<(), DeliveryError> {
    let name = words.first().cloned().unwrap_or_default();
    let start = |why| DeliveryError::Start { command: name.clone(), why };
    let mut child = Command::new(&name)
        .args(words.iter().skip(1))
        .stdin(Stdio::piped())
        .stdout(Stdio::null())
        .stderr(Stdio::piped())
        .kill_on_drop(true)
        .spawn()
        .map_err(start)?;
    let mut input = child.stdin.take().expect("it was requested");
    let talk = async {
        // A command may succeed without reading everything.
        let _ = input.write_all(text.as_bytes()).await;
        drop(input);
        child.wait_with_output().await
    };
    let output = match tokio::time::timeout(TIMEOUT, talk).await {
        Ok(output) => output.map_err(start)?,
        Err(_) => {
            let seconds = TIMEOUT.as_secs();
            return Err(DeliveryError::TooLong { command: name, seconds });
        }
    };
    if output.status.success() {
        return Ok(());
    }
    let how =
        output.status.code().map_or_else(|| output.status.to_string(), |code| code.to_string());
    let said = String::from_utf8_lossy(&output.stderr);
    let last = said.lines().rfind(|line| !line.trim().is_empty());
    let said = last.map(|line| format!(": {}", line.trim())).unwrap_or_default();
    Err(DeliveryError::Ended { command: name, how, said })
}

#[cfg(all(test, unix))]
#[allow(clippy::unwrap_used, reason = "a test may")]
mod tests {
    use super::*;

    async fn run(script: &str, text: &str) -> Result<(), String> {
        let words = ["sh", "-c", script].map(str::to_owned);
        hand_over(&words, text).await.map_err(|error| error.to_string())
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
    async fn a_missing_command_is_named() {
        let error = hand_over(&["./not-there".to_owned()], "x").await.unwrap_err();
        assert!(matches!(error, DeliveryError::Start { .. }), "{error:?}");
        assert!(error.to_string().starts_with("cannot start ./not-there: "));
        assert!(hand_over(&[], "x").await.is_err(), "no arguments, no command");
    }
}
