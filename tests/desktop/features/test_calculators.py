"""The Calculators view through the real window: every question answers as one types, and oscillators are traced reading by reading."""

from __future__ import annotations

import pytest

pytest.importorskip("PyQt6.QtWidgets")

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QLabel, QLineEdit

from desktop.conftest import Desk
from unitone.calculators.catalogue import CALCULATORS
from unitone.desktop.features.calculators.page import CalculatorCard, CalculatorsPage, OscillatorsCard, PathCard
from unitone.desktop.theme.theme import theme

pytestmark = pytest.mark.window


@pytest.fixture
def page(desk: Desk) -> CalculatorsPage:
    desk.key(Qt.Key.Key_6, Qt.KeyboardModifier.ControlModifier)
    made = desk.window._calculators
    assert isinstance(made, CalculatorsPage) and desk.window.pages.currentWidget() is made
    return made


def ask(page: CalculatorsPage, name: str) -> CalculatorCard | OscillatorsCard | PathCard:
    for n in range(page.list.count()):
        item = page.list.item(n)
        if item is not None and item.data(Qt.ItemDataRole.UserRole) == name:
            page.list.setCurrentRow(n)
    return page.inside[name]


def asked(page: CalculatorsPage) -> list[str]:
    """The questions that the list shows; the heads of its subjects are none."""
    rows = [page.list.item(n) for n in range(page.list.count())]
    names = [row.data(Qt.ItemDataRole.UserRole) for row in rows if row is not None]
    return [name for name in names if name]


def said(card: CalculatorCard) -> str:
    return " | ".join(x.text() for x in card.result.findChildren(QLabel) if not x.isHidden())


def test_every_question_answers_its_own_example(page: CalculatorsPage) -> None:
    for name in (s.name for s in CALCULATORS):
        card = ask(page, name)
        assert isinstance(card, CalculatorCard), name
        first = card.first()
        for given in card.chosen.given:
            field = card.fields[given.key]
            if isinstance(field, QLineEdit) and not field.text():
                # The example that stands in the field, the first of them where there are several.
                text = given.hint if given.unit != "text" or name == "vco" else given.hint.split(",")[0]
                field.setText("3" if text.startswith("3 for") else text)
        QApplication.processEvents()
        assert card.result.isVisible() and len(said(card)) > 8, (name, card.missing.text(), card.typed())
        shown = " ".join(x.text() for x in card.findChildren(QLabel))
        assert card.missing.text() == "" and card.chosen.formula in shown, name
        if isinstance(first, QLineEdit):
            first.setText("what?")
            refused = card.missing.text() and not card.result.isVisible()
            assert refused or name in ("level", "channel", "vco"), name


def test_a_question_is_found_and_what_was_typed_stays(desk: Desk, page: CalculatorsPage) -> None:
    card = ask(page, "padder")
    assert isinstance(card, CalculatorCard) and card.example.isVisible() and card.result.isVisible()
    card.fields["padder"].clear()  # type: ignore[union-attr]
    assert "Missing" in card.missing.text() and not card.result.isVisible()
    for key, text in {
        "low": "10.239410 MHz",
        "high": "10.239980 MHz",
        "wanted": "10.240 MHz",
        "padder": "33 pF",
    }.items():
        card.fields[key].setText(text)  # type: ignore[union-attr]
    assert "24 pF: 10.239560 … 10.240390 MHz" in said(card), said(card)
    desk.key(Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier)
    assert page.find.hasFocus()
    desk.key("vco")
    assert asked(page) == ["vco"] and page.cards.currentWidget() is page._made["vco"]
    page.find.clear()
    assert len(asked(page)) == len(CALCULATORS) + 3
    assert ask(page, "padder") is card and "24 pF" in said(card)


def test_oscillators_are_traced_reading_by_reading(page: CalculatorsPage) -> None:
    card = ask(page, "oscillators")
    assert isinstance(card, OscillatorsCard) and card.sheets.count() == 7 and "No reading yet" in card.headline.text()
    card.sheets.setCurrentIndex(card.sheets.findText("Ostrel Tarn 40"))
    card.sheets.activated.emit(1)
    assert card.take.isVisible() and "next" in card.following.text() and card.lines.shown == ()
    card.take.click()
    where, hz = card.rows[0]
    assert hz.hasFocus(), "the reading that was named is to be typed next"
    where.setCurrentIndex(0)
    nominal = 26.965e6
    hz.setText(f"{nominal + 402:.0f}")
    assert card._off[0].text() == "+402 Hz" and card.headline.text().endswith(
        "Not decided by these readings: ref, or the counter itself."
    )
    card.take.click()
    assert card.rows[1][0].currentText() == card._next.label  # type: ignore[union-attr]
    card.rows[1][0].setCurrentIndex(card.rows[1][0].count() - 1)
    card.rows[1][1].setText("10 MHz")
    assert card.headline.text().startswith("ref is 15") and "turn CT1" in card.headline.text()
    card.rows[1][1].clear()
    card.rows[2][0].setCurrentIndex(card.rows[1][0].count() - 1)
    card.rows[2][1].setText("10 MHz")
    card.rows[1][1].setText("12 MHz")
    words = " ".join(x.text() for x in card.lines.findChildren(QLabel))
    assert "Reading 2" in words and "another channel" in words and card.headline.text().startswith("ref is"), (
        "the others still count"
    )
    card.rows[1][1].clear()
    hz.setText(f"{nominal + 5:.0f}")
    assert card.headline.text() == "Well in spec: leave it alone."
    card.sheets.setCurrentIndex(card.sheets.findText("Ostrel Weir 40 AM"))
    card.sheets.activated.emit(1)
    assert card.rows[0][1].text() == "" and card.sheet is not None and card.sheet.name == "Weir 40 AM"


def test_the_path_from_the_crystals_to_the_aerial_is_drawn(page: CalculatorsPage) -> None:
    card = ask(page, "path")
    assert isinstance(card, PathCard)
    card.sheets.setCurrentIndex(card.sheets.findText("Ostrel Curlew 5"))
    card.sheets.activated.emit(card.sheets.currentIndex())
    assert card.band.isVisible()
    made = {b.id: b.mhz for b in card.drawing._path.outputs}  # type: ignore[union-attr]
    assert made == {"rx.lo1": "37.010000 MHz", "rx.lo2": "10.240000 MHz", "tx.carrier": "26.315000 MHz"}
    card.mode.setCurrentIndex(card.mode.findText("USB"))
    card.mode.activated.emit(0)
    assert ("car-usb", "tx.carrier", "× −1") in card.drawing._path.joins  # type: ignore[union-attr]
    # The channel is named with its carrier on the band; the factor of a fanned-out line is written once.
    card.band.setCurrentIndex(4)
    card.band.activated.emit(4)
    assert card.channel.currentText() == "21: 28.1150 MHz"
    card.drawing.grab()
    path = card.drawing._path
    assert path is not None and len(path.joins) == 6
    shown = card.drawing._labels(
        card.drawing._place(path.oscillators, 1, 100), card.drawing._place(path.outputs, 300, 100)
    )
    assert sorted(text for text, _ in shown) == ["× 2", "× 2317/20480", "× −1"]
    card.sheets.setCurrentIndex(card.sheets.findText("Ostrel Mallard 6"))
    card.sheets.activated.emit(1)
    assert not card.band.isVisible() and not card.mode.isVisible()
    card.channel.setCurrentIndex(1)
    card.channel.activated.emit(1)
    path = card.drawing._path
    # A tripled crystal: 3 × 9.021667 MHz is channel B, to a hertz.
    assert (
        path is not None and path.joins == (("tx-B", "tx.carrier", "× 3"),) and path.outputs[0].mhz == "27.065001 MHz"
    )
    card.sheets.setCurrentIndex(card.sheets.findText("Ostrel Tarn 40"))
    card.sheets.activated.emit(1)
    card.channel.setCurrentIndex(19)
    card.channel.activated.emit(19)
    path = card.drawing._path
    assert (
        path is not None
        and {b.id: b.mhz for b in path.outputs}["tx.carrier"] == "27.205000 MHz"
        and len(path.joins) == 3
    )
    words = " ".join(x.text() for x in card.lines.findChildren(QLabel))
    assert "image at 5.815000 MHz" in words and "tx.carrier 27.205000" in card.drawing.accessibleDescription()
    picture = card.drawing.grab().toImage()
    assert len({picture.pixel(x, y) for x in range(0, picture.width(), 3) for y in range(0, picture.height(), 3)}) > 6


@pytest.mark.parametrize(("width", "height", "scale", "name"), [(1000, 700, 1.0, "night"), (1280, 800, 1.5, "day")])
def test_it_fits(desk: Desk, page: CalculatorsPage, width: int, height: int, scale: float, name: str) -> None:
    theme.use(name, scale)
    desk.window.resize(width, height)
    for calculator_name in ("oscillators", "path", "try", "vco", "padder"):
        card = ask(page, calculator_name)
        desk.steady()
        assert card.minimumSizeHint().width() <= page.cards.width() + 2, calculator_name
    theme.use("day", 1.0)
