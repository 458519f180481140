//! Drives the real interface: the program as shipped, headless Chromium, ChromeDriver.
