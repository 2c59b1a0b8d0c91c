"""Settings, keys: every action with its key; another key for any of them, where it is free."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence
from PyQt6.QtWidgets import (
    QKeySequenceEdit,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QToolButton,
)

from unitone.actions import (
    ACTIONS,
    KEPT_KEYS,
    Action,
    can_change,
    chosen_keys,
    key_of,
    named_key,
    refusal,
    taken_by,
    use_keys,
)
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.fitting import ButtonRows
from unitone.desktop.widgets.painted import Card, label
from unitone.desktop.widgets.table_editor import RowDelegate
from unitone.errors import UnitoneError
from unitone.store.logbook import Logbook
from unitone.words import N_, tr

_ROLE = int(Qt.ItemDataRole.UserRole)
_WHERE = {
    "everywhere": N_("everywhere"), "bench": N_("Bench"), "jobs": N_("Jobs"), "card": N_("Card"), "trace": N_("Trace"),
    "sheets": N_("Sheets"), "meters": N_("Meters"), "calculators": N_("Calculators"), "practice": N_("Practice"),
    "debrief": N_("Debrief"), "help": N_("Help"), "welcome": N_("First evening"),
}  # fmt: skip


class KeysBox(Card):
    """``chosen`` after a key was changed: the words on buttons name it when the window is made anew."""

    chosen = pyqtSignal()

    def __init__(self, logbook: Logbook) -> None:
        super().__init__(tr("Keys"), "heading")
        self._logbook = logbook
        self.column.addWidget(
            label("quiet", tr("Choose an action, press the key it is to have. Enter, Esc and the arrows stay."), True)
        )
        self.find = QLineEdit()
        self.find.setPlaceholderText(tr("Find an action or a key"))
        self.find.setAccessibleName(tr("Find an action or a key"))
        self.find.setClearButtonEnabled(True)
        for clear in self.find.findChildren(QToolButton):
            clear.setAccessibleName(tr("Clear the search"))
        self.find.textChanged.connect(lambda _: self._fill())
        self.column.addWidget(self.find)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Actions and their keys"))
        self.list.setMinimumHeight(theme.px(220))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setItemDelegate(RowDelegate(self.list))
        self.list.currentItemChanged.connect(lambda *_: self._show())
        self.column.addWidget(self.list)
        self.press = QKeySequenceEdit()
        self.press.setAccessibleName(tr("New key"))
        self.press.setMaximumSequenceLength(1)
        self.press.setClearButtonEnabled(True)
        for clear in self.press.findChildren(QToolButton):
            clear.setAccessibleName(tr("Clear the key"))
        self.press.keySequenceChanged.connect(lambda _: self._judge())
        self.press.editingFinished.connect(self._name_field)
        self._name_field()
        self.column.addWidget(self.press)
        self.set, self.free, self.own = (
            QPushButton(tr("Use this key")),
            QPushButton(tr("Take it")),
            QPushButton(tr("Own key back")),
        )
        self.set.clicked.connect(self.use)
        self.free.clicked.connect(self.take)
        self.own.clicked.connect(self.own_back)
        self.buttons = ButtonRows(tr("For this action"), (self.set, self.free, self.own))
        self.column.addWidget(self.buttons)
        self.words = label("cure", "", True)
        self.words.setAccessibleName(tr("Message"))
        self.column.addWidget(self.words)
        self.all = QPushButton(tr("All keys back as they came"))
        self.all.setProperty("role", "link")
        self.all.clicked.connect(lambda: self._keep({}))
        self.column.addWidget(self.all)
        self._fill()

    def _name_field(self) -> None:
        """What stands in it while it is empty: Qt has words of its own for that, in no language of ours."""
        for line in self.press.findChildren(QLineEdit):
            line.setPlaceholderText(tr("Press the new key"))

    # -- showing ------------------------------------------------------------------------------------

    def _fill(self) -> None:
        chosen, wanted = self.current(), self.find.text().lower().split()
        self.list.clear()
        for a in ACTIONS:
            where, key = tr(_WHERE[a.scope]), named_key(key_of(a)) or tr("no key")
            words = f"{key}   {a.words} · {where}"
            if not all(w in words.lower() for w in wanted):
                continue
            item = QListWidgetItem()
            other = tr("chosen") if a.id in chosen_keys() else ""
            item.setData(_ROLE, (a.words, " · ".join(x for x in (key, where, other) if x), False))
            item.setData(_ROLE + 1, a.id)
            item.setData(Qt.ItemDataRole.AccessibleTextRole, words)
            self.list.addItem(item)
            if chosen is not None and a.id == chosen.id:
                self.list.setCurrentItem(item)
        self.all.setVisible(bool(chosen_keys()))
        self._show()

    def current(self) -> Action | None:
        """The chosen action."""
        item = self.list.currentItem()
        return None if item is None else next((a for a in ACTIONS if a.id == item.data(_ROLE + 1)), None)

    def choose(self, identifier: str) -> None:
        """Choose an action by its id."""
        self.find.clear()
        for n in range(self.list.count()):
            item = self.list.item(n)
            if item is not None and item.data(_ROLE + 1) == identifier:
                self.list.setCurrentItem(item)

    def _show(self) -> None:
        a = self.current()
        can = a is not None and can_change(a) and not self._logbook.frozen
        self.press.setEnabled(can)
        self.own.setEnabled(a is not None and a.id in chosen_keys())
        self.press.setKeySequence(QKeySequence("" if a is None else key_of(a)))
        self._name_field()
        self._judge()

    def _pressed(self) -> str:
        return self.press.keySequence().toString(QKeySequence.SequenceFormat.PortableText)

    def _judge(self) -> None:
        """May it be that key? What it is already is said, and can be taken from there."""
        a, key = self.current(), self._pressed()
        words, other = "", None
        if a is not None and not can_change(a):
            words = tr("{key} stays as it is.", key=named_key(a.key))
        elif a is not None and key != key_of(a):
            words, other = refusal(a, key), taken_by(a, key)
        self.words.setText(words)
        self.words.setVisible(bool(words))
        self.set.setEnabled(a is not None and can_change(a) and key != key_of(a) and not words)
        self.free.setVisible(other is not None and can_change(other))
        self.buttons.refresh()

    # -- changing -----------------------------------------------------------------------------------

    def use(self) -> None:
        """Give the chosen action the key that was pressed."""
        a = self.current()
        if a is not None and self.set.isEnabled():
            self._keep({**chosen_keys(), a.id: self._pressed()})

    def take(self) -> None:
        """The same where another action has that key: that one has none then."""
        a, key = self.current(), self._pressed()
        other = None if a is None else taken_by(a, key)
        if a is not None and other is not None:
            self._keep({**chosen_keys(), other.id: "", a.id: key})

    def own_back(self) -> None:
        """The key that the action came with, unless another has it now."""
        a = self.current()
        if a is None:
            return
        other = taken_by(a, a.key)
        if other is not None:
            self.words.setText(tr("{key} is taken: {words}.", key=named_key(a.key), words=other.words))
            self.words.show()
            return
        self._keep({k: v for k, v in chosen_keys().items() if k != a.id})

    def _keep(self, keys: dict[str, str]) -> None:
        try:
            self._logbook.set_setting(KEPT_KEYS, keys)
        except UnitoneError as error:
            self.words.setText(str(error))
            self.words.show()
            return
        use_keys(keys)
        self._fill()
        self.chosen.emit()
