"""The board page of the sheet editor: pictures, what is to be pinned, and where it sits."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.choice import Choice
from unitone.desktop.widgets.painted import label, set_tip
from unitone.desktop.widgets.picture import WHOLE, BoardImage, Crop, ImageReader
from unitone.desktop.widgets.pinning import PinBoard, Pinned
from unitone.desktop.widgets.table_editor import RowDelegate
from unitone.errors import SheetError
from unitone.sheet.editing.draft import Draft
from unitone.sheet.format.pictures import read_picture
from unitone.sheet.library import slug
from unitone.words import tr

_ROLE = Qt.ItemDataRole.UserRole
_TABLES = ("adjuster", "test_point", "part")
_ENDINGS = (".png", ".jpg", ".jpeg", ".svg")


class PinPage(QWidget):
    """Pins the draft's adjusters, test points and parts on its pictures. Pictures are kept in ``pictures`` by file name."""

    changed = pyqtSignal()
    failed = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setAcceptDrops(True)
        self._draft: Draft | None = None
        self.pictures: dict[str, bytes] = {}
        self._images: dict[str, tuple[int, BoardImage | None]] = {}
        self._reader, self._adding = ImageReader(self), ImageReader(self, every=True)
        self._painting = False
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(theme.px(12))
        left = QVBoxLayout()
        left.setSpacing(theme.px(6))
        self.hint = label("quiet", "", True)
        left.addWidget(self.hint)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Pins"))
        self.list.setItemDelegate(RowDelegate(self.list))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setVerticalScrollMode(QListWidget.ScrollMode.ScrollPerPixel)
        self.list.currentRowChanged.connect(lambda _: self._paint())
        left.addWidget(self.list, 1)
        self.unpin = QPushButton(tr("Remove this pin"))
        self.unpin.setProperty("role", "link")
        self.unpin.clicked.connect(self._unpin)
        left.addWidget(self.unpin)
        row.addLayout(left, 10)
        right = QVBoxLayout()
        right.setSpacing(theme.px(6))
        right.addLayout(self._bar())
        self.board = PinBoard()
        self.board.placed.connect(self._placed)
        self.board.moved.connect(self._moved)
        self.board.taken.connect(self.take)
        self.board.cropped.connect(self._cropped)
        right.addWidget(self.board, 1)
        row.addLayout(right, 26)

    def _bar(self) -> QHBoxLayout:
        bar = QHBoxLayout()
        bar.setSpacing(theme.px(6))
        self.which = Choice()
        self.which.setAccessibleName(tr("Picture"))
        self.which.setMinimumContentsLength(12)
        self.which.currentIndexChanged.connect(lambda _: self._paint())
        bar.addWidget(self.which, 1)
        self.cut = QPushButton(tr("Crop"))
        self.cut.setCheckable(True)
        set_tip(self.cut, tr("Draw a box round the part to show. The picture itself stays whole."))
        self.cut.toggled.connect(self._cutting)
        self.whole = QPushButton(tr("Whole"))
        self.whole.clicked.connect(lambda: self._cropped(None))
        self.remove = QPushButton(tr("Remove"))
        self.remove.clicked.connect(self._remove)
        nearer, further = QPushButton("+"), QPushButton("−")
        for button, words, by in ((nearer, tr("Zoom in"), 1.4), (further, tr("Zoom out"), 1 / 1.4)):
            button.setAccessibleName(words)
            set_tip(button, words)
            button.clicked.connect(lambda _=False, f=by: self.board.zoom_by(f))
        self.add = QPushButton(tr("Add picture…"))
        self.add.clicked.connect(self.ask_picture)
        for button in (nearer, further, self.cut, self.whole, self.remove, self.add):
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.setProperty("role", "link" if button is not self.cut else "toggle")
            bar.addWidget(button)
        return bar

    # -- showing ------------------------------------------------------------------------------------

    def show_draft(self, draft: Draft | None, pictures: dict[str, bytes]) -> None:
        """Show a draft with its pictures; the picture and the pin at hand are kept where they are still there."""
        self._draft, self.pictures = draft, pictures
        rows = draft.rows("picture") if draft is not None else []
        board = draft.get(("model", "board")) if draft is not None else None
        shown = [(str(r.get("id", "")), r) for r in rows] or (
            [("board", {"id": "board", "file": board})] if board else []
        )
        kept = self.which.currentData()
        self.which.blockSignals(True)
        self.which.clear()
        for identifier, picture in shown:
            title = str(picture.get("title") or picture.get("file") or identifier)
            self.which.addItem(title, identifier)
        self.which.setCurrentIndex(max(0, self.which.findData(kept)))
        self.which.blockSignals(False)
        self.which.setEnabled(bool(shown))
        self._fill_list()
        self._paint()

    def _fill_list(self) -> None:
        at = self.at()
        self.list.blockSignals(True)
        self.list.clear()
        draft = self._draft
        for table in _TABLES if draft is not None else ():
            assert draft is not None
            for row in draft.rows(table):
                identifier = str(row.get("id", ""))
                words = str(row.get("where") or row.get("title") or row.get("what") or "")
                pinned = _pin(row) is not None
                item = QListWidgetItem()
                item.setData(_ROLE, (f"{'●' if pinned else '○'}  {identifier}", words, False))
                item.setData(_ROLE + 1, (table, identifier))
                item.setData(
                    Qt.ItemDataRole.AccessibleTextRole,
                    f"{identifier} {words}: {tr('pinned') if pinned else tr('not pinned')}",
                )
                self.list.addItem(item)
                if (table, identifier) == at:
                    self.list.setCurrentItem(item)
        if self.list.currentRow() < 0:
            self._next()
        self.list.blockSignals(False)
        left = [n for n in range(self.list.count()) if not self._row_pinned(n)]
        self.hint.setText(
            tr("Add adjusters and test points first.") if not self.list.count()
            else tr("{n} still to pin: choose one, click where it sits.", n=len(left)) if left
            else tr("All pinned. Drag a pin to move it; arrow keys move it finely.")
        )  # fmt: skip

    def _row_pinned(self, n: int) -> bool:
        item = self.list.item(n)
        assert item is not None and self._draft is not None
        table, identifier = item.data(_ROLE + 1)
        row = next((r for r in self._draft.rows(table) if str(r.get("id", "")) == identifier), {})
        return _pin(row) is not None

    def _next(self) -> None:
        """Go to the next that has no pin."""
        count = self.list.count()
        start = self.list.currentRow()
        for step in range(1, count + 1):
            n = (start + step) % count
            if not self._row_pinned(n):
                self.list.setCurrentRow(n)
                return
        if start < 0 and count:
            self.list.setCurrentRow(0)

    def at(self) -> tuple[str, str]:
        """(table, id) of what is at hand."""
        item = self.list.currentItem()
        return item.data(_ROLE + 1) if item is not None else ("", "")

    def take(self, table: str, identifier: str) -> None:
        """Take what was clicked in hand."""
        for n in range(self.list.count()):
            item = self.list.item(n)
            if item is not None and item.data(_ROLE + 1) == (table, identifier):
                self.list.setCurrentRow(n)

    def _picture(self) -> tuple[str, str, Crop]:
        """(id, file, crop) of the picture that is shown."""
        identifier = str(self.which.currentData() or "")
        draft = self._draft
        if draft is None or not identifier:
            return "", "", WHOLE
        row = next((r for r in draft.rows("picture") if str(r.get("id", "")) == identifier), None)
        if row is None:
            return identifier, str(draft.get(("model", "board"), "")), WHOLE
        return identifier, str(row.get("file", "")), _crop(row)

    def _image(self, file: str) -> BoardImage | None:
        content = self.pictures.get(file)
        if content is None:
            return None
        known = self._images.get(file)
        if known is None or known[0] != id(content):
            self._images[file] = (id(content), None)

            def take(image: BoardImage) -> None:
                self._images[file] = (id(content), image)
                self._paint()

            # What is drawn at once is painted by whoever asked.
            painting, self._painting = self._painting, True
            self._reader.read(file, content, take, self.failed.emit)
            self._painting = painting
        return self._images[file][1]

    def _paint(self) -> None:
        if self._painting:
            return
        identifier, file, crop = self._picture()
        self.board.show_picture(self._image(file), crop)
        pins: list[Pinned] = []
        first = self.which.count() < 2 or self.which.currentIndex() == 0
        for table in _TABLES if self._draft is not None else ():
            assert self._draft is not None
            for row in self._draft.rows(table):
                place = _pin(row)
                on = str(row.get("picture", "")) or None
                if place is not None and (on == identifier or (on is None and first)):
                    pins.append(Pinned(table, str(row.get("id", "")), *place))
        self.board.show_pins(tuple(pins), self.at())
        has = self.board.image is not None
        for button in (self.cut, self.remove):
            button.setEnabled(has)
        self.whole.setEnabled(has and crop != WHOLE)
        self.unpin.setEnabled(any((p.table, p.id) == self.at() for p in pins))

    # -- changing --------------------------------------------------------------------------------------

    def _row_of(self, table: str, identifier: str) -> int | None:
        ids = self._draft.ids(table) if self._draft is not None else []
        return ids.index(identifier) if identifier in ids else None

    def _put_pin(self, table: str, identifier: str, place: list[float] | None) -> None:
        row = self._row_of(table, identifier)
        if row is None or self._draft is None:
            return
        draft, (shown, _, _) = self._draft, self._picture()
        first = self.which.currentIndex() <= 0

        def make(data: dict[str, Any]) -> dict[str, Any]:
            rows = list(data[table])
            changed = {k: v for k, v in rows[row].items() if k not in ("pin", "picture")}
            if place is not None:
                changed["pin"] = place
                if not first:
                    changed["picture"] = shown
            rows[row] = changed
            return {**data, table: rows}

        draft.change(tr("pin {id}", id=identifier), make)
        self._fill_list()
        self._paint()
        self.changed.emit()

    def _placed(self, x: float, y: float) -> None:
        table, identifier = self.at()
        if not identifier:
            return
        fresh = not self._row_pinned(self.list.currentRow())
        self._put_pin(table, identifier, [x, y])
        if fresh:
            self._next()
            self._paint()

    def _moved(self, table: str, identifier: str, x: float, y: float) -> None:
        self._put_pin(table, identifier, [x, y])

    def _unpin(self) -> None:
        self._put_pin(*self.at(), None)

    def _cutting(self, on: bool) -> None:
        self.board.cutting = on
        self.board.update()

    def _cropped(self, crop: tuple[float, ...] | None) -> None:
        identifier, file, _ = self._picture()
        self.cut.setChecked(False)
        if self._draft is None or not identifier:
            return
        row = self._row_of("picture", identifier)
        if row is None:
            self._draft.change(tr("crop"), lambda data: _with_picture(data, identifier, file, crop))
        else:
            self._draft.put(("picture", row, "crop"), list(crop) if crop else None)
        self.show_draft(self._draft, self.pictures)
        self.changed.emit()

    def ask_picture(self) -> None:
        """Let the technician choose pictures of the board."""
        names, _ = QFileDialog.getOpenFileNames(
            self, tr("Pictures of the board"), "", tr("Pictures (*.png *.jpg *.jpeg *.svg)")
        )
        for name in names:
            self.add_picture(Path(name))

    def add_picture(self, path: Path) -> None:
        """Take a picture into the sheet; what is wrong with it is told and nothing changes."""
        if self._draft is None:
            return
        try:
            content = read_picture(path)
        except SheetError as error:
            self.failed.emit("\n".join(error.problems))
            return
        self._adding.read(path.name, content, lambda image: self._take(path, content, image), self.failed.emit)

    def _take(self, path: Path, content: bytes, image: BoardImage) -> None:
        """A picture that can be shown joins the sheet."""
        if self._draft is None:
            return
        stem, ending = slug(path.stem), path.suffix.lower()
        name, n = f"{stem}{ending}", 2
        while name in self.pictures and self.pictures[name] != content:
            name, n = f"{stem}-{n}{ending}", n + 1
        self.pictures[name] = content
        self._images[name] = (id(content), image)
        board = self._draft.get(("model", "board"))
        if board and not self._draft.rows("picture"):
            self._draft.change(tr("list the pictures"), lambda data: _with_picture(data, "board", str(board), None))
        self._draft.add("picture", {"id": slug(path.stem)[:20], "file": name, "title": path.stem})
        self.show_draft(self._draft, self.pictures)
        self.which.setCurrentIndex(self.which.count() - 1)
        self.changed.emit()

    def _remove(self) -> None:
        identifier, _, _ = self._picture()
        row = self._row_of("picture", identifier)
        if self._draft is None:
            return
        if row is None:
            self._draft.put(("model", "board"), None)
        else:
            self._draft.remove("picture", [row])
        self.show_draft(self._draft, self.pictures)
        self.changed.emit()

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        mime = event.mimeData() if event is not None else None
        if (
            event is not None
            and mime is not None
            and any(u.toLocalFile().lower().endswith(_ENDINGS) for u in mime.urls())
        ):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """A picture dropped on the page is added."""
        mime = event.mimeData() if event is not None else None
        for url in mime.urls() if mime is not None else []:
            self.add_picture(Path(url.toLocalFile()))


def _pin(row: dict[str, Any]) -> tuple[float, float] | None:
    pin = row.get("pin")
    if isinstance(pin, list) and len(pin) == 2 and all(isinstance(v, int | float) for v in pin):
        return float(pin[0]), float(pin[1])
    return None


def _crop(row: dict[str, Any]) -> Crop:
    crop = row.get("crop")
    if isinstance(crop, list) and len(crop) == 4 and all(isinstance(v, int | float) for v in crop):
        left, top, right, bottom = (float(v) for v in crop)
        if 0 <= left < right <= 1 and 0 <= top < bottom <= 1:
            return left, top, right, bottom
    return WHOLE


def _with_picture(data: dict[str, Any], identifier: str, file: str, crop: tuple[float, ...] | None) -> dict[str, Any]:
    """The one picture named under [model] as a picture of the list."""
    model = {k: v for k, v in data.get("model", {}).items() if k != "board"}
    row: dict[str, Any] = {"id": identifier, "file": file}
    if crop:
        row["crop"] = list(crop)
    return {**data, "model": model, "picture": [*data.get("picture", []), row]}
