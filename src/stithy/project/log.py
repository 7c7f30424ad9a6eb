"""The program's log: what was opened, saved and solved, and every unexpected fault with its trace."""

from __future__ import annotations

import logging
from contextlib import suppress
from logging.handlers import RotatingFileHandler
from pathlib import Path

from .files import state_folder

NAME, MOST, KEPT = "stithy.log", 1_000_000, 3


def log_file() -> Path:
    """Where the log is."""
    return state_folder() / NAME


def begin(level: int = logging.INFO) -> None:
    """Write the log to its file from now on; a folder that cannot be written to is no reason to fail."""
    root = logging.getLogger("stithy")
    for old in [h for h in root.handlers if isinstance(h, RotatingFileHandler)]:
        if old.baseFilename == str(log_file()):
            return
        root.removeHandler(old)
        old.close()
    with suppress(OSError):
        log_file().parent.mkdir(parents=True, exist_ok=True)
        handler = RotatingFileHandler(
            log_file(), maxBytes=MOST, backupCount=KEPT, encoding="utf-8", errors="replace", delay=True
        )
        handler.setFormatter(logging.Formatter("%(asctime)s %(process)d %(levelname)s %(name)s: %(message)s"))
        root.addHandler(handler)
        root.setLevel(level)
        logging.raiseExceptions = False  # a full disk must not end a run


def write_fault(error: BaseException) -> Path:
    """Write an unexpected error down with its trace; the log's file. Never raises."""
    with suppress(Exception):
        begin()
        logging.getLogger("stithy.fault").error("unexpected", exc_info=error)
    return log_file()
