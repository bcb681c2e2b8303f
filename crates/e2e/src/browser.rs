//! A headless browser and what one does on a page.

use crate::{Done, PASSWORD, is_root};
use serde_json::{Value, json};
use std::net::TcpListener;
use std::path::PathBuf;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};
use thirtyfour::prelude::*;
use thirtyfour::{ChromiumLikeCapabilities, LoggingPrefsLogLevel};

/// The first element of a selector, when it can be seen.
const SHOWN: &str = "const e = document.querySelector(arguments[0]);
    return e !== null && e.checkVisibility({visibilityProperty: true}) ? e : null;";

/// A browser with its driver; both end when dropped.
pub struct Browser {
    driver: Child,
    profile: PathBuf,
    /// The session.
    pub page: WebDriver,
}

impl Browser {
    /// Start one with a window of the given size.
    ///
    /// # Errors
    /// ChromeDriver or Chromium does not start.
    pub async fn start(width: u32, height: u32) -> Done<Self> {
        let port = TcpListener::bind("127.0.0.1:0")?.local_addr()?.port();
        let driver = Command::new("chromedriver")
            .arg(format!("--port={port}"))
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .map_err(|e| format!("chromedriver: {e}"))?;
        let profile = std::env::temp_dir().join(format!(
            "spannung-browser-{}",
            uuid::Uuid::new_v4().simple()
        ));
        let mut caps = DesiredCapabilities::chrome();
        for arg in [
            "--headless=new",
            "--disable-gpu",
            "--disable-dev-shm-usage",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--force-device-scale-factor=1",
            "--hide-scrollbars",
        ] {
            caps.add_arg(arg)?;
        }
        if is_root() {
            // Chromium's sandbox refuses to run as root
            caps.add_arg("--no-sandbox")?;
        }
        caps.add_arg(&format!("--user-data-dir={}", profile.display()))?;
        caps.set_binary("/usr/bin/chromium")?;
        caps.set_browser_log_level(LoggingPrefsLogLevel::All)?;
        let address = format!("http://127.0.0.1:{port}");
        let begun = Instant::now();
        let page = loop {
            match WebDriver::new(&address, caps.clone()).await {
                Ok(page) => break page,
                Err(e) if begun.elapsed() > Duration::from_secs(40) => return Err(e.into()),
                Err(_) => tokio::time::sleep(Duration::from_millis(100)).await,
            }
        };
        let browser = Self {
            driver,
            profile,
            page,
        };
        browser.size(width, height).await?;
        Ok(browser)
    }

    /// Set the size of the page itself.
    ///
    /// # Errors
    /// The browser does not answer.
    pub async fn size(&self, width: u32, height: u32) -> Done {
        let metrics =
            json!({"width": width, "height": height, "deviceScaleFactor": 1, "mobile": false});
        self.page
            .cdp()
            .send_raw("Emulation.setDeviceMetricsOverride", metrics)
            .await?;
        // what asks the window's height in its script lays itself out with the next frame
        let frames = "const done = arguments[0]; requestAnimationFrame(() => requestAnimationFrame(() => done(true)))";
        self.page.execute_async(frames, Vec::new()).await?;
        Ok(())
    }

    /// What the page reads, as it is laid out. The driver's own way takes a third of a second on a large map.
    async fn words(&self) -> String {
        let read = self.script("return document.body.innerText").await;
        read.ok()
            .and_then(|w| w.as_str().map(str::to_string))
            .unwrap_or_default()
    }

    /// Wait until a selector is there (and shown).
    ///
    /// # Errors
    /// Not within 20 s.
    pub async fn see(&self, css: &str) -> Done<WebElement> {
        let begun = Instant::now();
        loop {
            // an element that is replaced between finding and looking is looked for again
            let found = self.page.execute(SHOWN, vec![json!(css)]).await;
            if let Ok(found) = found.and_then(|f| f.element()) {
                return Ok(found);
            }
            if begun.elapsed() > Duration::from_secs(20) {
                let body = self.words().await;
                return Err(
                    format!("{css} did not appear on the page, which reads:\n{body}").into(),
                );
            }
            tokio::time::sleep(Duration::from_millis(60)).await;
        }
    }

    /// Wait until a selector is gone.
    ///
    /// # Errors
    /// Still there after 20 s.
    pub async fn gone(&self, css: &str) -> Done {
        let begun = Instant::now();
        while !self.page.find_all(By::Css(css)).await?.is_empty() {
            if begun.elapsed() > Duration::from_secs(20) {
                return Err(format!("{css} is still there").into());
            }
            tokio::time::sleep(Duration::from_millis(60)).await;
        }
        Ok(())
    }

    /// Wait until the page's text holds something.
    ///
    /// # Errors
    /// Not within 20 s.
    pub async fn read(&self, text: &str) -> Done {
        let begun = Instant::now();
        loop {
            let body = self.words().await;
            if body.contains(text) {
                return Ok(());
            }
            if begun.elapsed() > Duration::from_secs(20) {
                return Err(format!("“{text}” is not on the page, which reads:\n{body}").into());
            }
            tokio::time::sleep(Duration::from_millis(60)).await;
        }
    }

    /// Press what a selector shows, once it can be pressed.
    ///
    /// # Errors
    /// It does not appear or cannot be pressed within 20 s.
    pub async fn press(&self, css: &str) -> Done {
        let begun = Instant::now();
        loop {
            let element = self.see(css).await?;
            if element.is_enabled().await.unwrap_or(false) && element.click().await.is_ok() {
                return Ok(());
            }
            if begun.elapsed() > Duration::from_secs(20) {
                return Err(format!("{css} cannot be pressed").into());
            }
            tokio::time::sleep(Duration::from_millis(60)).await;
        }
    }

    /// Press the button with this text.
    ///
    /// # Errors
    /// There is none within 20 s.
    pub async fn press_text(&self, text: &str) -> Done {
        let path = format!("//button[contains(normalize-space(.), \"{text}\") and not(@disabled)]");
        let begun = Instant::now();
        loop {
            if let Ok(element) = self.page.find(By::XPath(&path)).await
                && element.click().await.is_ok()
            {
                return Ok(());
            }
            if begun.elapsed() > Duration::from_secs(20) {
                return Err(format!("no button “{text}”").into());
            }
            tokio::time::sleep(Duration::from_millis(60)).await;
        }
    }

    /// Type into a field, replacing what is there.
    ///
    /// # Errors
    /// It does not appear.
    pub async fn fill(&self, css: &str, text: &str) -> Done {
        let field = self.see(css).await?;
        field.send_keys(Key::Control + "a").await?;
        field.send_keys(Key::Delete).await?;
        field.send_keys(text).await?;
        Ok(())
    }

    /// Run a script with no arguments.
    ///
    /// # Errors
    /// It throws.
    pub async fn script(&self, text: &str) -> Done<Value> {
        Ok(self.page.execute(text, Vec::new()).await?.json().clone())
    }

    /// Console errors and content-policy violations since the last look, apart from the replies that
    /// a test provokes on purpose (4xx of our own API).
    ///
    /// # Errors
    /// The browser does not answer.
    pub async fn complaints(&self) -> Done<Vec<String>> {
        let log = self.page.handle().browser_log().await?;
        Ok(log
            .into_iter()
            .map(|e| format!("{:?} {}", e.level, e.message))
            .filter(|m| {
                m.to_lowercase().contains("severe") || m.contains("Content Security Policy")
            })
            .filter(|m| {
                !(m.contains("/api/") && m.contains("the server responded with a status of 4"))
            })
            .collect())
    }

    /// Sign in on the sign-in page.
    ///
    /// # Errors
    /// The rack does not appear.
    pub async fn sign_in(&self, url: &str, name: &str) -> Done {
        self.page.goto(url).await?;
        self.fill("input[name=name]", name).await?;
        self.fill("input[name=password]", PASSWORD).await?;
        self.press("button[type=submit]").await?;
        self.see("[data-new-job]").await?;
        Ok(())
    }
}

impl Browser {
    /// Kill it at once with everything it started, as a flat battery would.
    ///
    /// # Errors
    /// `ps` or `kill` is missing.
    pub fn kill(&mut self) -> Done {
        // nobody is left to be told good-bye: otherwise the session waits for a driver that is gone
        let _ = self.page.clone().leak();
        let driver = self.driver.id().to_string();
        let found = Command::new("ps")
            .args(["-o", "pid=", "--ppid", &driver])
            .output()?
            .stdout;
        let mut pids: Vec<String> = String::from_utf8_lossy(&found)
            .split_whitespace()
            .map(String::from)
            .collect();
        pids.push(driver);
        Command::new("kill").arg("-9").args(&pids).status()?;
        self.driver.wait()?;
        Ok(())
    }
}

impl Drop for Browser {
    fn drop(&mut self) {
        if self.driver.try_wait().is_ok_and(|ended| ended.is_none()) {
            let _ = self.kill();
        }
        let _ = std::fs::remove_dir_all(&self.profile);
    }
}
