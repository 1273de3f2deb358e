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
