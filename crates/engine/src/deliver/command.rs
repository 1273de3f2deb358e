//! A command that gets a digest on its standard input.

use std::process::Stdio;
use std::time::Duration;

use tokio::io::AsyncWriteExt;
use tokio::process::Command;

use super::DeliveryError;

/// How long a command has.
const TIMEOUT: Duration = Duration::from_secs(60);

/// Starts a command with these words, gives it the text, and waits for its end. What it
/// writes to standard output goes nowhere.
///
/// # Errors
/// When it cannot be started, takes too long, or ends with another code than 0.
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
    let mut input = child.stdin.take().expect("it was asked for");
    let talk = async {
        // A command that does not want to read all of it may still be content.
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
    async fn a_command_gets_all_of_the_text_and_its_end() {
        let folder = tempfile::TempDir::new().unwrap();
        let file = folder.path().join("got");
        let text = "a digest ".repeat(50_000);
        run(&format!("cat > '{}'", file.display()), &text).await.unwrap();
        assert_eq!(std::fs::read_to_string(file).unwrap(), text);
    }

    #[tokio::test]
    async fn what_a_command_says_when_it_fails_is_told() {
        let failed = run("cat >/dev/null; echo first >&2; echo no room >&2; echo >&2; exit 3", "x");
        assert_eq!(failed.await.unwrap_err(), "sh ended with 3: no room");
        assert_eq!(run("exit 4", "x").await.unwrap_err(), "sh ended with 4");
        let killed = run("kill -9 $$", "x").await.unwrap_err();
        assert!(killed.starts_with("sh ended with signal: 9"), "{killed}");
    }

    #[tokio::test]
    async fn a_command_may_leave_the_text_and_talk_a_lot() {
        run("exit 0", &"x".repeat(1 << 20)).await.unwrap();
        let talk = "i=0; while [ $i -lt 20000 ]; do echo $i is a line; i=$((i+1)); done";
        run(&format!("{talk}; ({talk}) >&2"), "x").await.unwrap();
    }

    #[tokio::test]
    async fn a_command_that_is_not_there_is_named() {
        let error = hand_over(&["./not-there".to_owned()], "x").await.unwrap_err();
        assert!(matches!(error, DeliveryError::Start { .. }), "{error:?}");
        assert!(error.to_string().starts_with("./not-there cannot be started: "));
        assert!(hand_over(&[], "x").await.is_err(), "no words are no command");
    }
}
