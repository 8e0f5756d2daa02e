"""A served application with demo data, and Chromium with the microphone that each journey needs."""

import os
import re
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path
from typing import IO

import pytest
from playwright.sync_api import Browser, BrowserType, Page
from scripts.browsers import ARGS, FIREFOX, MICROPHONE, PROGRAM

from tests.conftest import Databases


class Served:
    """A running application on its own database."""

    def __init__(self, url: str, demo: bool) -> None:
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self.base, self.database_url, self.demo = f"http://127.0.0.1:{self.port}", url, demo
        self.process: subprocess.Popen[bytes] | None = None
        self.claim: str | None = None  # where the first administrator begins

    def start(self) -> None:
        command = [
            sys.executable,
            "-m",
            "thrumble.cli",
            "serve",
            "--port",
            str(self.port),
            *(["--demo"] if self.demo else []),
        ]
        self.process = subprocess.Popen(
            command,
            env={**os.environ, "DATABASE_URL": self.database_url},
            stdout=subprocess.PIPE,
            start_new_session=True,
        )
        threading.Thread(target=self._listen, args=(self.process.stdout,), daemon=True).start()
        try:
            self._wait_until_it_serves()
        except BaseException:
            self.kill_all()
            raise

    def _listen(self, output: IO[bytes]) -> None:
        with output:
            for line in output:
                if found := re.search(rb"(/join/\S+)", line):
                    self.claim = found[1].decode()

    def claimed_at(self) -> str:
        """Where the first administrator begins, as the start prints it a moment after it serves."""
        for _ in range(200):
            if self.claim is not None:
                return self.claim
            time.sleep(0.05)
        raise AssertionError("the start printed no link to claim the server with")

    def _wait_until_it_serves(self) -> None:
        assert self.process
        for _ in range(4800):
            assert self.process.poll() is None, "the application ended before it served"
            with socket.socket() as probe:
                if probe.connect_ex(("127.0.0.1", self.port)) == 0:
                    return
            time.sleep(0.05)
        raise AssertionError("the application did not serve within four minutes")

    def stop(self) -> int:
        assert self.process
        self.process.send_signal(signal.SIGTERM)
        return self.process.wait(15)

    def kill_all(self) -> None:
        """Server and worker, at once and without a word, as a power cut would."""
        assert self.process
        children = subprocess.run(
            ["pgrep", "-P", str(self.process.pid)], capture_output=True, text=True
        ).stdout.split()
        for pid in [self.process.pid, *map(int, children)]:
            with suppress(ProcessLookupError):  # it may have ended by itself
                os.kill(pid, signal.SIGKILL)
        self.process.wait(10)


@pytest.fixture(scope="session")
def served(databases: Databases) -> Iterator[Served]:
    url = databases.make(databases.template)
    made = Served(url, demo=True)
    made.start()
    yield made
    assert made.stop() == 0
    databases.drop(url)


@pytest.fixture(scope="session")
def browser_type_launch_args(
    browser_type_launch_args: dict[str, object], browser_name: str
) -> dict[str, object]:
    if browser_name == "firefox":
        return {**browser_type_launch_args, **FIREFOX, "headless": True}
    return {
        **browser_type_launch_args,
        "executable_path": PROGRAM,
        "headless": True,
        "args": [*ARGS, *MICROPHONE],
    }


@pytest.fixture(scope="session")
def browser_context_args(browser_context_args: dict[str, object]) -> dict[str, object]:
    # journeys that break the network break it for the page, not for a worker behind it
    own: dict[str, object] = {
        "viewport": {"width": 1280, "height": 800},
        "service_workers": "block",
    }
    return {**browser_context_args, **own}


FAULTS: list[str] = []


def watched(page: Page) -> Page:
    """A page whose script errors and breaches of the content policy are noted."""
    # Firefox reports a font that a stopped server no longer gives as an error of the page
    page.on(
        "pageerror",
        lambda error: (
            None if "download failed" in str(error) else FAULTS.append(f"script error: {error}")
        ),
    )
    page.on(
        "console",
        lambda m: (
            FAULTS.append(m.text)
            if re.search(r"Content.Security.Policy|Uncaught|SyntaxError", m.text)
            else None
        ),
    )
    return page


@pytest.fixture(autouse=True)
def no_script_errors() -> Iterator[None]:
    """Fails a journey during which a script went wrong."""
    FAULTS.clear()
    yield
    assert FAULTS == []


@pytest.fixture
def open_page(
    browser: Browser, browser_context_args: dict[str, object], browser_name: str
) -> Iterator[Callable[..., Page]]:
    """Opens pages with the permissions and scripts a journey asks for."""
    contexts = []
    may_ask = browser_name == "chromium"  # Firefox is told by its preferences

    def make(*, microphone: bool = True, script: Path | None = None, **options: object) -> Page:
        context = browser.new_context(
            **{
                **browser_context_args,
                "permissions": ["microphone"] if microphone and may_ask else [],
                **options,
            }
        )  # type: ignore[arg-type]
        contexts.append(context)
        if script:
            context.add_init_script(path=script)
        return watched(context.new_page())

    yield make
    for context in contexts:
        context.close()


@pytest.fixture
def launch(
    browser_type: BrowserType, browser_type_launch_args: dict[str, object], browser_name: str
) -> Iterator[Callable[..., Browser]]:
    """A Chromium of its own, with or without a fake microphone playing a file."""
    if browser_name != "chromium":
        pytest.skip("this journey asks for Chromium's own microphone")
    launched = []

    def make(*flags: str) -> Browser:
        one = browser_type.launch(**{**browser_type_launch_args, "args": [*ARGS, *flags]})  # type: ignore[arg-type]
        launched.append(one)
        return one

    yield make
    for one in launched:
        one.close()
