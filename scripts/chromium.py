"""The Chromium that journeys, pictures and benchmarks drive: Debian's build without a window of its
own, which draws the same pages at half the processor time of the windowed one.
"""

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
