"""A real window on the screen of the test run, shut cleanly."""

from __future__ import annotations

import time
import warnings

import pytest

pytest.importorskip("PyQt6")


@pytest.fixture
def pump():
    """Let the window live until something holds, or fail after ``limit`` seconds."""
    from stithy.desk import app as desk_app

    app = desk_app.application()

    def live(until=None, limit=60.0, rest=0.0):
        end = time.time() + limit
        while time.time() < end:
            app.processEvents()
            if until is not None and until():
                break
            if until is None and time.time() > end - limit + rest and not any(w.drawing() for w in desk_app._windows):
                break
            time.sleep(0.005)
        else:
            raise AssertionError("waited in vain")

    return live


@pytest.fixture
def open_(tmp_path, pump, monkeypatch):
    """Open windows on project folders; they are shut at the end, whatever happened."""
    from PyQt6.QtCore import QSettings
    from PyQt6.QtWidgets import QApplication

    from stithy.desk import app as desk_app
    from stithy.project import recent

    QSettings.setPath(QSettings.Format.NativeFormat, QSettings.Scope.UserScope, str(tmp_path / "settings"))
    QSettings("stithy", "window").setValue("estimates", "off")  # a process for every window would slow them all
    monkeypatch.setattr(recent, "_file", lambda: tmp_path / "recent.json")
    monkeypatch.setenv("HOME", str(tmp_path))
    windows = []

    def open_window(folder, **more):
        window = desk_app.open_window(folder, **more)
        windows.append(window)
        pump(rest=0.3)
        with warnings.catch_warnings():  # there is no window manager on the virtual screen to make it active
            warnings.simplefilter("ignore")
            QApplication.setActiveWindow(window)
        return window

    yield open_window
    for window in windows:
        run = window.session.run
        if run is not None:
            run.kill()
        window.session.history.saved = window.session.document
        window.close()
        window.deleteLater()
    desk_app._windows.clear()
    pump(rest=0.1)
