"""The window in other languages: nothing that was not translated on any main view, and no text cut where words grow longer."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest

pytest.importorskip("PyQt6.QtWidgets")

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractButton, QApplication, QComboBox, QLabel, QLineEdit, QWidget

from desktop.conftest import Desk
from unitone.desktop.features.papers.page import PapersPage
from unitone.desktop.shell.window import MainWindow
from unitone.desktop.theme.theme import theme
from unitone.present.glossary import terms
from unitone.scenario.exercises import find_exercise
from unitone.words import PSEUDO, use_language

pytestmark = pytest.mark.window

PLACES = ("jobs", "meters", "calculators", "sheets", "workshop", "practice")
#: What is the same in every language: names and words of the demo's people and radios, units, the program's own name.
DATA = re.compile(
    r"^dBm$|postgresql://|Ostrel|Corvane|Unnamed|heard on one|English|Deutsch|uni\s+tone|EMF|[\d.,−+ ]+(k|M)?(Hz|dBm|dBµV|V|W|pF)"
)


@pytest.fixture
def pseudo() -> Iterator[None]:
    use_language(PSEUDO)
    yield
    use_language("en")


@pytest.fixture
def longer(request: pytest.FixtureRequest) -> Iterator[None]:
    use_language(request.param)
    yield
    use_language("en")
    theme.use("day", 1.0)


@pytest.fixture
def german() -> Iterator[None]:
    use_language("de")
    yield
    use_language("en")
    theme.use("day", 1.0)


def shown(window: MainWindow) -> Iterator[tuple[QWidget, str]]:
    """What can be read on the page: texts, choices, hints, tips and names for those who hear them."""
    for widget in window.findChildren(QWidget):
        if not widget.isVisible():
            continue
        texts = [widget.toolTip(), widget.accessibleName()]
        if isinstance(widget, QLabel | QAbstractButton):
            texts.append(widget.text())
        if isinstance(widget, QLineEdit):
            texts.append(widget.placeholderText())
        if isinstance(widget, QComboBox):
            texts.append(widget.currentText())
        for text in texts:
            plain = re.sub(r"<[^>]+>", " ", text)
            if re.search(r"[^\W\d_]{3}", plain):
                yield widget, plain


def places(desk: Desk) -> Iterator[str]:
    window = desk.window
    for place in PLACES:
        window.show_place(place)
        QApplication.processEvents()
        yield place
    window.show_place("jobs")
    window.jobs.ask_new()
    QApplication.processEvents()
    yield "new job"
    window.show_settings()
    QApplication.processEvents()
    yield "settings"
    practising = window.practising
    assert practising is not None
    practising.page.make.click()
    desk.until(lambda: practising.making.radio is not None)
    yield "making an exercise"
    practising.start(find_exercise("receive-1"), 11, "none")
    desk.until(lambda: practising.attempt is not None and desk.bench.view is not None)
    desk.until(lambda: practising.is_on_bench(desk.bench.view.job_id if desk.bench.view is not None else ""))
    desk.steady()
    yield "an exercise"
    desk.key(Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    yield "what was wrong"
    practising.debrief.answer()
    desk.until(lambda: practising.debrief.made is not None)
    desk.steady()
    yield "debrief"
    desk.open(147)
    desk.steady()
    yield "bench"
    window.show_paper(desk.logbook.job("144").id, "certificate")
    papers = window._papers
    assert isinstance(papers, PapersPage)
    desk.until(lambda: papers.document.pageCount() > 0)
    yield "papers"


def test_nothing_is_left_untranslated(pseudo: None, desk: Desk) -> None:
    seen, left = 0, []
    for place in places(desk):
        # What the machine calls its sound inputs is nobody's text.
        inputs = [w.settings.live.device for w in [desk.window._workshop] if w is not None and w.settings is not None]
        for widget, text in shown(desk.window):
            seen += 1
            if widget in inputs and widget.accessibleName() != text:
                continue
            if "[" not in text and not DATA.search(text):
                left.append((place, type(widget).__name__, text))
    assert seen > 300 and left == []


@pytest.mark.parametrize(
    ("longer", "width", "height", "scale"),
    [("de", 1000, 700, 1.0), ("de", 1280, 800, 1.5), ("de", 1920, 1080, 1.0), (PSEUDO, 1280, 800, 1.0)],
    indirect=["longer"],
)
def test_longer_words_are_never_cut(longer: None, desk: Desk, width: int, height: int, scale: float) -> None:
    window = desk.window
    theme.use("day", scale)
    window.resize(width, height)
    cut = []
    for place in places(desk):
        for widget in window.findChildren((QLabel, QAbstractButton)):
            if not widget.isVisible() or not widget.text() or widget.visibleRegion().isEmpty():
                continue
            if isinstance(widget, QLabel) and widget.wordWrap():
                if widget.height() + 2 < widget.heightForWidth(widget.width()):
                    cut.append((place, widget.text()[:60], widget.height(), widget.heightForWidth(widget.width())))
            elif widget.width() + 2 < widget.minimumSizeHint().width():
                cut.append((place, widget.text()[:60], widget.width(), widget.minimumSizeHint().width()))
    assert cut == []


def test_the_glossary_and_help_speak_german(german: None, desk: Desk) -> None:
    window = desk.window
    assert {"Hub", "im Soll", "Rauschsperre"} <= {t.term for t in terms()}
    desk.open(147)
    desk.key(Qt.Key.Key_F1)
    page = window._help
    assert page is not None and "Das erste Gerät" in " ".join(
        page.list.item(n).text() for n in range(page.list.count())
    )  # type: ignore[union-attr]
    assert "Aufträge" in {b.text() for b in window.findChildren(QAbstractButton)}
