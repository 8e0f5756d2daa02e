"""The browsers that journeys, pictures and benchmarks drive. Chromium: Debian's build without a
window of its own, which draws the same pages at half the processor time of the windowed one.
Firefox: Debian's, by WebDriver BiDi, for the journeys of scripts/firefox.sh.
"""

from typing import Any

PROGRAM = "/usr/bin/chromium-headless-shell"
ARGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
# a microphone that hums, and a player who allows it: this build has no question to show
MICROPHONE = ["--use-fake-device-for-media-stream", "--use-fake-ui-for-media-stream"]
FIREFOX: dict[str, Any] = {
    "executable_path": "/usr/bin/firefox-esr",
    "channel": "moz-firefox",
    "firefox_user_prefs": {
        "media.navigator.streams.fake": True,
        "media.navigator.permission.disabled": True,
        "media.autoplay.default": 0,
        "media.autoplay.blocking_policy": 0,
    },
}
