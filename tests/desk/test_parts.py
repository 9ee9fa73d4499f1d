"""Parts of the window by themselves: playback, jobs, ridge, theme, session, actions."""

import locale
import os
import socket
import subprocess
import sys
import threading
import time
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QImage, QKeySequence, QPainter
from PySide6.QtWidgets import QProgressBar, QWidget

from clevrin.core.errors import CancelledError, ClevrinError
from clevrin.core.media.index import index_frames
from clevrin.core.motion import Whip
from clevrin.core.progress import step, tell
from clevrin.desk.background import imports_ahead
from clevrin.desk.background.jobs import Job, JobRunner, JobState
from clevrin.desk.shell import screen
from clevrin.desk.shell.actions import ACTIONS
from clevrin.desk.shell.header import JobStrip, figures
from clevrin.desk.shell.screen import check_screen
from clevrin.desk.steady.lanes import Lane, figure_words
from clevrin.desk.widgets import theme
from clevrin.desk.widgets.ridge import RidgeData, RidgeView, height_share, paint_ridge, shown_angle
from tests.films import numbered_film

# Jobs


@pytest.fixture
def jobs(qtbot):
    runner = JobRunner()
    yield runner
    runner.close()


def job(work, **other) -> Job:
    values = dict(key=("k",), what="Flying", work=work, done=lambda _: None)
    return Job(**{**values, **other})


def test_a_result_comes_on_the_interface_thread(jobs, qtbot):
    came = []
    jobs.start(job(lambda p: threading.current_thread(), done=lambda r: came.append((r, threading.current_thread()))))
    qtbot.waitUntil(lambda: bool(came))
    assert came[0][0] is not threading.main_thread() and came[0][1] is threading.main_thread()


@pytest.mark.parametrize(("error", "says"), [(ClevrinError("No wind."), "No wind."), (ValueError("x"), "not foreseen")])
def test_a_failure_is_a_sentence(jobs, qtbot, error, says, caplog):
    def work(progress):
        raise error

    told = []
    jobs.start(job(work, failed=told.append))
    qtbot.waitUntil(lambda: bool(told))
    assert says in told[0]
    assert ("Traceback" in caplog.text) == isinstance(error, ValueError)  # the log has what a person need not see


def wait_to_be_stopped(progress):
    while not progress.cancelled():
        time.sleep(0.005)
        progress.report(1, 10)
    raise CancelledError("stopped")


def test_the_next_job_of_a_key_begins_when_the_stopped_one_has_ended(jobs, qtbot):
    """Both write one file: the stopped one must not be at it any more."""
    at_work, most = [], []

    def slow_to_stop(progress):
        at_work.append(1)
        most.append(len(at_work))
        end = time.monotonic() + 0.3
        while time.monotonic() < end:
            time.sleep(0.005)
        at_work.pop()

    jobs.start(job(slow_to_stop))
    qtbot.waitUntil(lambda: bool(at_work))
    jobs.restart(job(slow_to_stop))
    jobs.restart(job(slow_to_stop))  # one that has not begun holds nobody up
    qtbot.waitUntil(lambda: jobs.idle)
    assert len(most) >= 2 and max(most) == 1


def test_reading_films_in_a_job_ends_when_the_job_is_stopped(jobs, qtbot, tmp_path):
    film = numbered_film(tmp_path / "film.mkv", frames=60, size=(64, 36))
    rounds = []

    def read(progress):
        while True:
            rounds.append(index_frames(film).frames)

    jobs.start(job(read))
    qtbot.waitUntil(lambda: len(rounds) > 2)
    jobs.stop(("k",))
    qtbot.waitUntil(lambda: jobs.idle)


def test_a_job_shows_how_far_it_is_and_is_stopped(jobs, qtbot):
    answers = []
    jobs.start(job(wait_to_be_stopped, done=answers.append, failed=answers.append))
    qtbot.waitUntil(lambda: bool(jobs.states) and jobs.states[0].total == 10)
    jobs.stop_shown()
    assert not jobs.busy
    qtbot.wait(100)
    assert answers == []


def test_one_key_runs_once_and_the_newest_wins(jobs, qtbot):
    came = []
    assert jobs.start(job(wait_to_be_stopped, done=came.append))
    assert not jobs.start(job(lambda p: "second", done=came.append))
    jobs.restart(job(lambda p: "third", done=came.append))
    qtbot.waitUntil(lambda: bool(came))
    assert came == ["third"]


class Painting(QWidget):
    """Has work begun when it is painted, beside a strip, and sees whether that is painted meanwhile."""

    def __init__(self, jobs) -> None:
        super().__init__()
        self.jobs, self.inside, self.painted, self.within = jobs, False, 0, 0
        self.strip = JobStrip(jobs, self)
        self.strip.findChild(QProgressBar).installEventFilter(self)
        self.resize(600, 60)
        self.strip.resize(self.size())

    def paintEvent(self, event) -> None:
        with QPainter(self) as painter:
            self.inside = True
            self.jobs.start(job(lambda _: None, key=("wanted", self.painted), quiet=True))
            self.inside = False
            painter.fillRect(self.rect(), Qt.GlobalColor.black)
        self.painted += 1

    def eventFilter(self, bar, event) -> bool:
        self.within += self.inside and event.type() == QEvent.Type.Paint
        return False


def test_nothing_is_painted_while_a_painting_has_work_begun(jobs, qtbot):
    go_on, gone_on, end = threading.Event(), threading.Event(), threading.Event()

    def work(progress) -> None:
        step(progress, 1, 10)
        go_on.wait(5)
        progress.report(10, 10)
        gone_on.set()
        end.wait(5)

    painting = Painting(jobs)
    qtbot.addWidget(painting)
    painting.show()
    qtbot.waitUntil(lambda: painting.painted > 0)
    jobs.start(job(work))
    bar = painting.strip.findChild(QProgressBar)
    qtbot.waitUntil(lambda: bar.isVisible() and bar.value() == 1)
    go_on.set()
    assert gone_on.wait(5)  # further than the strip shows
    before = painting.painted
    painting.repaint()
    assert painting.painted > before and painting.within == 0
    qtbot.waitUntil(lambda: bar.value() == 10)
    end.set()


@pytest.mark.parametrize(
    ("state", "words"),
    [
        (JobState(what="x", done=0, total=0, left_s=None), "waiting"),
        (JobState(what="x", done=118, total=184, left_s=2.2), "118 / 184 · 2 s left"),
        (JobState(what="x", done=5, total=900, left_s=240.0), "5 / 900 · 4 min left"),
        (JobState(what="x", done=0, total=0, begun=True), "begins"),
        (JobState(what="x", done=9, total=9, doing="binding its pieces"), "binding its pieces"),
        (JobState(what="x", done=2, total=9, per_s=0.25, left_s=28.0), "2 / 9 · 4 s each · 28 s left"),
    ],
)
def test_the_strip_says_frame_and_time_left(state, words):
    assert figures(state) == words


def test_the_time_left_is_for_all_that_wait():
    first = JobState(what="x", done=100, total=200, per_s=50.0, left_s=2.0, begun=True, expected=200)
    others = [JobState(what="y", done=0, total=0, expected=frames) for frames in (300, 1200)]
    assert figures(first, others) == "100 / 200 · 50/s · 32 s left"


def test_a_job_says_what_it_is_at(jobs, qtbot):
    seen, end = [], threading.Event()

    def work(progress):
        tell(progress, "planning")
        end.wait(5)
        progress.report(1, 2)
        return 3

    jobs.states_changed.connect(lambda: seen.extend(figures(each) for each in jobs.states))
    jobs.start(Job(key=("a",), what="a", work=work, done=lambda _: None))
    qtbot.waitUntil(lambda: "planning" in seen)
    end.set()
    qtbot.waitUntil(lambda: not jobs.busy)


# The ridge


def drawn(data: RidgeData, view: RidgeView, size=(200, 60)) -> np.ndarray:
    image = QImage(*size, QImage.Format.Format_RGB32)
    image.fill(0)
    painter = QPainter(image)
    from PySide6.QtCore import QRectF

    paint_ridge(painter, QRectF(0, 0, *size), data, view)
    painter.end()
    return np.frombuffer(image.constBits(), np.uint8).reshape(size[1], size[0], 4)[..., 2::-1].astype(int)


def ridge(speed, heading=0.0, frames: int = 100, blur=0.0, confidence=1.0, shifting=1.0) -> RidgeData:
    full = lambda v: np.broadcast_to(np.asarray(v, float), (frames,)).copy()  # noqa: E731
    return RidgeData(
        speed=full(speed),
        heading_deg=full(heading),
        blur=full(blur),
        confidence=full(confidence),
        shifting=full(shifting),
    )


ALL = RidgeView(first=0, end=100)


@pytest.mark.parametrize("speed", [0.1, 0.5, 2.0, 4.5])
def test_height_is_speed_on_a_root_scale(qapp, speed):
    seen = drawn(ridge(speed), ALL)
    lit = (seen[:, 100].sum(axis=1) > 60).sum()
    assert lit == pytest.approx(60 * float(height_share(speed)), abs=2)


@pytest.mark.parametrize(("angle", "token"), [(0, "ember"), (90, "sky"), (180, "kelp"), (-90, "plum")])
def test_colour_is_direction(qapp, angle, token):
    seen = drawn(ridge(3.0, angle), ALL)[30, 100]
    wanted = theme.colour(token)
    share = seen / np.array([wanted.red(), wanted.green(), wanted.blue()])
    assert share.max() - share.min() < 0.08 and 0.6 < share.mean() <= 1.05


def test_mirroring_and_playing_backward_turn_the_colour(qapp):
    right = drawn(ridge(3.0, 0), ALL)[30, 100]
    left = drawn(ridge(3.0, 180), ALL)[30, 100]
    assert np.abs(drawn(ridge(3.0, 0), RidgeView(first=0, end=100, mirror_x=True))[30, 100] - left).max() <= 2
    assert np.abs(drawn(ridge(3.0, 0), RidgeView(first=0, end=100, backward=True))[30, 100] - left).max() <= 2
    both = RidgeView(first=0, end=100, backward=True, mirror_x=True)
    assert np.abs(drawn(ridge(3.0, 0), both)[30, 100] - right).max() <= 2


def test_a_peak_is_not_lost_when_many_frames_share_a_pixel(qapp):
    speed = np.zeros(5000)
    speed[2500] = 4.0
    seen = drawn(ridge(speed, frames=5000), RidgeView(first=0, end=5000))
    assert (seen.sum(axis=2) > 60).sum(axis=0).max() > 40


def test_hanging_dim_hatched_and_blur_are_seen(qapp):
    plain = drawn(ridge(2.0), ALL)
    hanging = drawn(ridge(2.0), RidgeView(first=0, end=100, hanging=True))
    assert plain[58, 100].sum() > 100 > plain[2, 100].sum() and hanging[2, 100].sum() > 100 > hanging[58, 100].sum()
    dim = drawn(ridge(2.0), RidgeView(first=0, end=100, dim=((50.0, 101.0),)))
    assert dim[50, 150].sum() < 0.6 * dim[50, 50].sum()
    hatched = drawn(ridge(2.0, confidence=0.1), ALL)
    assert hatched[50, :, 0].std() > 20 > 2 * plain[50, :, 0].std()
    blurred = drawn(ridge(2.0, blur=0.8), ALL)
    assert (blurred[:, 100].sum(axis=1) < plain[:, 100].sum(axis=1) * 0.5).any()


def test_what_turns_has_no_direction(qapp):
    red, green, blue = drawn(ridge(3.0, 0, shifting=0.2), ALL)[30, 100]
    quiet = theme.colour("quiet")
    assert red / green == pytest.approx(quiet.red() / quiet.green(), rel=0.05)
    assert green / blue == pytest.approx(quiet.green() / quiet.blue(), rel=0.05)


@pytest.mark.parametrize(("kind", "growth"), [("tilt", 1.0), ("roll", 1.0), ("zoom", 1.05), ("zoom", 0.95)])
def test_a_flag_stands_on_a_whip(qapp, kind, growth):
    fields = {"start": 40, "peak": 50, "end": 60, "angle_deg": 90.0, "speed_px": 100.0, "blur_px": 50.0}
    whip = Whip(**fields, kind=kind, turn_deg=8.0, growth=growth)
    plain = ridge(3.0, 90)
    flagged = RidgeData(**{**vars(plain), "whips": (whip,)})
    changed = np.abs(drawn(flagged, ALL) - drawn(plain, ALL)).sum(axis=2) > 60
    columns = np.flatnonzero(changed.any(axis=0))
    assert columns.min() >= 97 and columns.max() <= 120
    assert shown_angle(90.0, RidgeView(first=0, end=1, mirror_y=True)) == pytest.approx(-90)


# Theme, actions, words


def contrast(a: str, b: str) -> float:
    def light(name: str) -> float:
        code = np.array(theme.colour(name).getRgbF()[:3])
        linear = np.where(code <= 0.04045, code / 12.92, ((code + 0.055) / 1.055) ** 2.4)
        return float(linear @ [0.2126, 0.7152, 0.0722])

    high, low = sorted((light(a), light(b)), reverse=True)
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("ground", ["bench", "sheet", "sunk", "surround", "chosen"])
@pytest.mark.parametrize("ink", ["text", "quiet"])
def test_text_can_be_read(ground, ink, qapp):
    assert contrast(ink, ground) >= 4.5


def test_the_typeface_ships_with_figures_of_one_width(qapp):
    theme.apply(qapp)
    from PySide6.QtGui import QFontInfo, QFontMetricsF

    assert QFontInfo(theme.font()).family() == theme.FAMILY
    metrics = QFontMetricsF(theme.font())
    assert len({round(metrics.horizontalAdvance(str(d) * 5), 2) for d in range(10)}) == 1


@pytest.mark.parametrize("name", [p.stem for p in (theme.ASSETS / "icons").glob("*.svg")])
def test_every_icon_draws_something(qapp, name):
    image = theme.icon(name).pixmap(20, 20).toImage()
    assert any(image.pixelColor(x, y).alpha() > 100 for x in range(image.width()) for y in range(image.height()))


def test_no_key_does_two_things():
    keys = [QKeySequence(key).toString() for action in ACTIONS for key in action.keys]
    assert len(keys) == len(set(keys)) and all(keys)
    assert len({action.id for action in ACTIONS}) == len(ACTIONS)


def test_undo_in_the_menu_says_what_it_undoes(demo):
    demo.key(Qt.Key.Key_F)
    assert demo.window.actions_by_id["undo"].text() == "Undo: Mirror shot"
    assert "Mirror shot" in demo.window.header.undo_button.toolTip()


@pytest.mark.parametrize(
    ("axis", "before", "after", "words"),
    [
        ("pan", 5.01, 0.17, "shake 5.0 → 0.17 px"),
        ("roll", 0.31, None, "shake 0.31°"),
        ("zoom", 0.03, 0.01, "shake 0.03 → 0.01%"),
    ],
)
def test_figures_have_their_unit(axis, before, after, words):
    values = np.zeros(3)
    lane = Lane(axis=axis, shot=values, held=values, shake_before=before, shake_after=after, on=True)
    assert figure_words(lane) == words


# The window as a whole


def cut_off(widget: QWidget) -> list[str]:
    """Labels and buttons whose words do not fit."""
    from PySide6.QtWidgets import QLabel, QPushButton

    found = []
    for kind in (QLabel, QPushButton):
        for part in widget.findChildren(kind):
            if not part.isVisible() or not part.text():
                continue
            wraps = isinstance(part, QLabel) and part.wordWrap()
            needed = part.fontMetrics().boundingRect(part.text().split("\n")[0]).width()
            if not wraps and needed > part.width() + 1:
                found.append(part.text())
            if wraps and part.heightForWidth(part.width()) > part.height() + 2:
                found.append(part.text())
    return found


def test_the_real_window_opens_with_the_demo_playing_on_a_screen(tmp_path, warm_cache):
    """`clevrin demo` under a virtual X screen: the process lives, shows a window, and ends when told."""
    if not any((Path(folder) / "Xvfb").exists() for folder in os.environ["PATH"].split(":")):
        pytest.skip("no virtual screen on this machine")
    display = f":{90 + os.getpid() % 900}"
    screen = subprocess.Popen(["Xvfb", display, "-screen", "0", "1280x800x24"], stderr=subprocess.DEVNULL)
    try:
        socket = Path(f"/tmp/.X11-unix/X{display[1:]}")
        until = time.monotonic() + 30
        while not socket.exists() and time.monotonic() < until:
            time.sleep(0.05)
        env = {**os.environ, "DISPLAY": display, "QT_QPA_PLATFORM": "xcb", "XDG_CACHE_HOME": str(warm_cache)}
        code = (
            "import sys\nfrom PySide6.QtCore import QTimer\nfrom PySide6.QtWidgets import QApplication\n"
            "from clevrin.demo.project import demo_file\nfrom clevrin.desk.shell import application\n"
            "def look():\n"
            "    from clevrin.desk.shell.window import MainWindow\n"
            "    w = next(w for w in QApplication.topLevelWidgets() if isinstance(w, MainWindow))\n"
            "    if w.player.figures.shown < 15: return\n"
            "    shot = w.screen().grabWindow(0)\n    shot.save(sys.argv[1])\n"
            "    print(w.windowTitle(), w.player.playing)\n    begin.timer.stop()\n    w.close()\n"
            "def begin():\n"
            "    begin.timer = QTimer(); begin.timer.timeout.connect(look); begin.timer.start(200)\n"
            "class App(QApplication):\n"
            "    def exec(self): begin(); return super().exec()\n"
            "application.QApplication = App\n"
            "sys.exit(application.run([demo_file()], play=True))\n"
        )
        result = subprocess.run(
            [sys.executable, "-c", code, str(tmp_path / "screen.png")],
            env=env,
            capture_output=True,
            text=True,
            timeout=120,
        )
        assert result.returncode == 0, result.stderr
        assert result.stdout.strip() == "Kite day on Gable Hill – Clevrin True"
        seen = QImage(str(tmp_path / "screen.png"))
        assert (seen.width(), seen.height()) == (1280, 800)
        colours = {seen.pixel(x, y) for x in range(0, 1280, 16) for y in range(0, 800, 16)}
        assert len(colours) > 200
    finally:
        screen.terminate()
        screen.wait()


@pytest.mark.parametrize("listens", ["nobody", "somebody silent", "a server", "a compositor"])
def test_a_screen_where_nobody_answers_is_told_within_seconds(tmp_path, monkeypatch, listens):
    monkeypatch.setattr(screen, "_WITHIN_S", 0.3 if listens in ("nobody", "somebody silent") else 30.0)
    monkeypatch.setenv("QT_QPA_PLATFORM", "")
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path))
    number = 4000 + os.getpid() % 1000
    monkeypatch.setenv("DISPLAY", f":{number}")
    monkeypatch.setenv("WAYLAND_DISPLAY", "wayland-7")
    with socket.socket(socket.AF_UNIX) as there:
        if listens != "nobody":
            there.bind(str(tmp_path / "wayland-7") if listens == "a compositor" else f"\0/tmp/.X11-unix/X{number}")
            there.listen()

        def answer() -> None:
            if listens == "a server":
                with there.accept()[0] as asking:
                    asking.sendall(b"\1")

        answers = threading.Thread(target=answer)
        answers.start()
        if listens in ("a server", "a compositor"):
            check_screen()
        else:
            with pytest.raises(ClevrinError, match=f"Nobody answers at the screen that is named .DISPLAY=:{number}"):
                check_screen()
        answers.join()


@pytest.mark.parametrize("language", ["de_DE.UTF-8", "tr_TR.UTF-8", "ar_EG.UTF-8"])
def test_numbers_of_the_libraries_are_plain_in_every_language(language):
    """A window's process, in which FFmpeg reads and tells numbers."""
    try:
        locale.setlocale(locale.LC_NUMERIC, language)
    except locale.Error:
        pytest.skip("the language is not installed here")
    finally:
        locale.setlocale(locale.LC_NUMERIC, "C")
    script = (
        "import av, numpy as np; from PySide6.QtWidgets import QApplication; "
        "from clevrin.core.sound.loudness import loudness_of; "
        "from clevrin.desk.shell.plain_numbers import keep_numbers_plain; "
        "app = QApplication([]); keep_numbers_plain(); "
        "t = np.arange(96000) / 48000; tone = 0.1 * np.sin(6283 * t).astype(np.float32); "
        "print(loudness_of([np.column_stack([tone, tone])]).lufs < -10)"
    )
    environment = {**os.environ, "LC_ALL": language, "LANG": language}
    told = subprocess.run([sys.executable, "-c", script], env=environment, capture_output=True, text=True, check=False)
    assert told.stdout == "True\n", told.stderr


def test_what_a_bench_needs_is_imported_while_nobody_waits(qtbot, monkeypatch):
    monkeypatch.setattr(imports_ahead, "_WANTED", ("colorsys",))
    monkeypatch.delitem(sys.modules, "colorsys", raising=False)
    parent = QObject()
    ahead = imports_ahead.ImportsAhead(parent)
    assert "colorsys" not in sys.modules  # the window is drawn first
    qtbot.waitUntil(lambda: "colorsys" in sys.modules)
    ahead.close()
