"""The console in headless Chromium on a demo service, with what a person does there: look, press, write, read rows."""

from __future__ import annotations

import unittest
from collections.abc import Callable
from typing import TypeVar

from selenium.common.exceptions import (
    ElementClickInterceptedException,
    NoSuchElementException,
    StaleElementReferenceException,
    TimeoutException,
)
from selenium.webdriver import Chrome
from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys
from selenium.webdriver.remote.webelement import WebElement
from selenium.webdriver.support.ui import WebDriverWait

from even_roster.client import Roster
from tests.support.browser import browser, signed_in
from tests.support.patience import PATIENCE
from tests.support.service import Service, demo

T = TypeVar("T")


class ConsoleCase(unittest.TestCase):
    service: Service
    driver: Chrome
    roster: Roster
    hosts: tuple[str, ...] = ()

    @classmethod
    def setUpClass(cls) -> None:
        cls.service = cls.enterClassContext(demo(*cls.hosts))
        cls.roster = cls.enterClassContext(cls.service.client())
        cls.driver = cls.enterClassContext(browser())
        signed_in(cls.driver, cls.service.sign_in)

    def tearDown(self) -> None:
        log = self.driver.get_log("browser")  # type: ignore[no-untyped-call]
        severe = [entry["message"] for entry in log if entry["level"] == "SEVERE"]
        self.assertEqual([m for m in severe if not any(code in m for code in ("409", "412", "422"))], [])

    def open(self, path: str) -> None:
        self.driver.get(self.service.url + path)

    def until(self, what: Callable[[Chrome], T], seconds: float = PATIENCE) -> T:
        waiting = WebDriverWait(
            self.driver,
            seconds,
            0.1,
            (NoSuchElementException, StaleElementReferenceException, ElementClickInterceptedException),
        )
        try:
            return waiting.until(what)
        except TimeoutException:
            self.fail(f"it never happened; at {self.driver.current_url} the page shows: {self.text()[:900]}")

    def text(self) -> str:
        return self.driver.find_element(By.TAG_NAME, "body").text

    def sees(self, text: str, seconds: float = PATIENCE) -> None:
        self.until(lambda _: text in self.text(), seconds)

    def button(self, name: str) -> WebElement:
        return self.until(lambda d: d.find_element(By.XPATH, f"//button[normalize-space()='{name}']"))

    def press(self, name: str) -> None:
        """Click a button, once more if the click did not reach it: it moves while what stands above it is still arriving."""
        self.click(lambda d: d.find_element(By.XPATH, f"//button[normalize-space()='{name}']"))

    def click(self, which: Callable[[Chrome], WebElement]) -> None:
        """Click what is found, until the page says that the click came there."""

        def reached(driver: Chrome) -> bool:
            thing = which(driver)
            driver.execute_script(
                "arguments[0].addEventListener('click', () => { window.pressed = true; }, { once: true }); window.pressed = false",
                thing,
            )
            thing.click()
            # A click that led to another document took the flag with it.
            return bool(driver.execute_script("return window.pressed !== false"))

        self.until(reached)

    def field(self, label: str) -> WebElement:
        path = f"//label[.//span[normalize-space()='{label}']]//*[self::input or self::select or self::textarea]"
        return self.until(lambda d: d.find_element(By.XPATH, path))

    def write(self, field: WebElement, text: str) -> None:
        field.send_keys(Keys.CONTROL, "a")
        field.send_keys(Keys.DELETE)
        field.send_keys(text)

    def rows(self) -> list[str]:
        return [row.text for row in self.driver.find_elements(By.CSS_SELECTOR, "[role=grid] [role=row]")[1:]]
