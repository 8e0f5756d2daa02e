"""The log: one JSON object a line, into a file of the owner's alone; warnings and worse on standard
error, too. No secret is ever given to it.
"""

import logging
import logging.handlers
import os
import sys

import structlog

from thrumble.settings import local_folder

FILE_BYTES, FILES = 2_000_000, 5


def set_up(name: str) -> None:
    """Sends everything that is logged in this process into `.local/log/<name>.log`."""
    folder = local_folder() / "log"
    folder.mkdir(mode=0o700, exist_ok=True)
    file = logging.handlers.RotatingFileHandler(
        folder / f"{name}.log", maxBytes=FILE_BYTES, backupCount=FILES, delay=True
    )
    screen = logging.StreamHandler(sys.stderr)
    screen.setLevel(logging.WARNING)
    plain = logging.Formatter("%(message)s")
    for handler in (file, screen):
        handler.setFormatter(plain)
    logging.basicConfig(level=logging.INFO, handlers=[file, screen], force=True)
    for chatty in ("procrastinate", "alembic", "uvicorn.access"):
        logging.getLogger(chatty).setLevel(
            logging.CRITICAL if chatty == "procrastinate" else logging.WARNING
        )
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso"),
            structlog.processors.format_exc_info,
            structlog.processors.JSONRenderer(),
        ],
        logger_factory=structlog.stdlib.LoggerFactory(),
        wrapper_class=structlog.stdlib.BoundLogger,
    )
    os.umask(0o077)
