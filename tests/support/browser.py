"""Headless Chromium from Debian's packages, driven by selenium."""

from __future__ import annotations

import contextlib
import shutil
import tempfile
import unittest
from collections.abc import Iterator
from pathlib import Path

from selenium import webdriver
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service as Driver

from . import evidence
from .patience import until

CHROMIUM, DRIVER = shutil.which("chromium"), shutil.which("chromedriver")
needs_browser = unittest.skipUnless(CHROMIUM and DRIVER, "chromium and chromium-driver are not installed")
_FLAGS = (
    "--headless=new", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
    "--disable-background-networking", "--disable-component-update", "--disable-sync", "--disable-dev-shm-usage",
    "--force-color-profile=srgb",
)  # fmt: skip


@contextlib.contextmanager
def browser(width: int = 1280, height: int = 800) -> Iterator[webdriver.Chrome]:
    """A browser with a fresh profile; `width` and `height` are the page's."""
    with tempfile.TemporaryDirectory() as profile:
        options = Options()
        options.binary_location = CHROMIUM or ""
        for flag in (*_FLAGS, f"--user-data-dir={profile}"):
            options.add_argument(flag)
        options.set_capability("goog:loggingPrefs", {"browser": "ALL"})
        driver = webdriver.Chrome(options, Driver(DRIVER))
        try:
            driver.execute_cdp_cmd(
                "Emulation.setDeviceMetricsOverride",
                {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": width < 600},
            )
            with evidence.at_hand("browser", lambda to: _keep(driver, to)):
                yield driver
        finally:
            driver.quit()


def signed_in(driver: webdriver.Chrome, address: str) -> None:
    """Sign a browser in as a person does: open the address, press the button, and be at the page that it leads to."""
    driver.get(address)
    button = until(
        lambda: driver.find_elements("xpath", "//button[normalize-space()='Sign in']"), "no button to sign in"
    )
    button[0].click()
    until(
        lambda: "/enter" not in driver.current_url,
        lambda: f"not signed in: {driver.find_element('tag name', 'body').text}",
    )


def _keep(driver: webdriver.Chrome, to: Path) -> None:
    """The page as it is seen, as it is read, and what its scripts complained of."""
    driver.save_screenshot(str(to / "page.png"))
    text = driver.execute_script("return document.body.innerText")
    (to / "page.txt").write_text(f"{driver.current_url}\n\n{text}\n")
    (to / "page.html").write_text(driver.page_source)
