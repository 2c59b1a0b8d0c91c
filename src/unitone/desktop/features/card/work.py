"""What was tried, parts fitted, what is loose, time spent, and what was heard on the air."""

from __future__ import annotations

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from unitone.desktop.features.card.tab import CardTab, boxed
from unitone.desktop.theme.theme import theme
from unitone.desktop.widgets.entryform import Ask, EntryForm
from unitone.desktop.widgets.lines import Line, Lines
from unitone.desktop.widgets.painted import label
from unitone.job.shop import BESIDE, SPEAKS_OF
from unitone.present.card.card_shapes import CardView
from unitone.session.session import OUTCOMES
from unitone.words import tr


class WorkTab(CardTab):
    """Six short lists, each with the row that adds to it."""

    def __init__(self) -> None:
        super().__init__(tr("Work"))
        left, right = QVBoxLayout(), QVBoxLayout()
        for column in (left, right):
            column.setSpacing(theme.px(10))
        self.tried = EntryForm(
            (
                Ask("suspected", tr("Suspected"), tr("leaky electrolytics"), needed=True),
                Ask("done", tr("Done"), tr("replaced C41 to C44"), needed=True),
                Ask("result", tr("Result"), tr("rail 8.4 → 8.4 V"), wide=True),
                Ask("outcome", tr("Outcome"), share=2, choices=tuple((o, tr(o)) for o in OUTCOMES)),
            ),
            tr("Keep"),
        )  # fmt: skip
        self.before = label("recheck", "", True)
        for key in ("suspected", "done"):
            self.tried.fields[key].textChanged.connect(lambda _: self._warn())  # type: ignore[union-attr]
        self.tried_list = Lines(tr("Fault finding log"))
        self.parts = EntryForm(
            (
                Ask("part", tr("Part"), "C41", 1, needed=True), Ask("count", tr("Count"), "1", 1),
                Ask("fitted", tr("Fitted"), tr("100 uF 25 V electrolytic"), 3, needed=True),
                Ask("instead", tr("In place of"), tr("100 uF 16 V electrolytic"), 3, wide=True),
                Ask("why", tr("Why it fits (empty: worked out)"), "", 3), Ask("price", tr("Price each"), "0.35", 1),
            ),
            tr("Fit it"),
        )  # fmt: skip
        self.parts_list = Lines(tr("Parts fitted"))
        self.loose = EntryForm((Ask("what", tr("Loose ends"), tr("speaker unsoldered"), needed=True),), tr("Add"))
        self.why = EntryForm((Ask("why", tr("Reason it stays"), ""),), tr("…"))
        self.why.add.hide()
        self.loose_list = Lines(tr("Loose ends"), self._loose_pressed)
        self.time = EntryForm(
            (Ask("time", tr("Time"), "1 h 25", 1, needed=True), Ask("what", tr("For what"), tr("rails"), 3)), tr("Add")
        )
        self.time_words, self.time_list = label("quiet", ""), Lines(tr("Time spent"))
        self.air = EntryForm(
            (
                Ask("who", tr("Who"), tr("the lock keeper"), 1),
                Ask("speaks_of", tr("About"), share=1, choices=tuple((k, tr(k)) for k in SPEAKS_OF)),
                Ask("words", tr("In their words"), tr("fine, but quieter than last year"), 3, needed=True, wide=True),
            ),
            tr("Add"),
        )  # fmt: skip
        self.air_list = Lines(tr("Reports from the air"))
        self.beside = EntryForm(
            (
                Ask("other", tr("Other radio"), tr("the shop’s own"), 2, needed=True),
                Ask("what", tr("Compared"), share=2, choices=tuple((k, tr(k)) for k in BESIDE)),
                Ask("mine", tr("This radio"), "S7", 1, needed=True, wide=True), Ask("its", tr("The other"), "S8", 1, needed=True),
                Ask("splitter", tr("Splitter, dB"), "3.2", 1),
                Ask("signal", tr("On what signal"), tr("station on 27.205"), 3, wide=True),
            ),
            tr("Add"),
        )  # fmt: skip
        self.beside_words, self.beside_list = label("plain", "", True), Lines(tr("Beside another radio"))
        self.forms += [self.tried, self.parts, self.loose, self.time, self.air, self.beside]
        for column, title, bodies in (
            (left, tr("Fault finding log"), (self.tried, self.before, self.tried_list)),
            (left, tr("Parts fitted"), (self.parts, self.parts_list)),
            (left, tr("Beside another radio"), (self.beside, self.beside_words, self.beside_list)),
            (right, tr("Loose ends"), (self.loose, self.why, self.loose_list)),
            (right, tr("Time"), (self.time, self.time_words, self.time_list)),
            (right, tr("Heard on the air"), (self.air, self.air_list)),
        ):  # fmt: skip
            frame, layout = boxed()
            layout.addWidget(label("heading", title))
            for body in bodies:
                layout.addWidget(body)
            column.addWidget(frame)
        left.addStretch(1)
        right.addStretch(1)
        self.sides.addLayout(left, 1)
        self.sides.addLayout(right, 1)
        self.column.addLayout(self.sides)
        self._connect()

    def _connect(self) -> None:
        self.tried.submitted.connect(
            lambda d: self.do.emit(lambda s: s.tried(d["suspected"], d["done"], d["result"], d["outcome"]))
        )
        self.parts.submitted.connect(self._fit)
        self.loose.submitted.connect(lambda d: self.do.emit(lambda s: s.loosen(d["what"])))
        self.time.submitted.connect(lambda d: self.do.emit(lambda s: s.workshop.spend(d["time"], d["what"])))
        self.air.submitted.connect(
            lambda d: self.do.emit(lambda s: s.workshop.heard(d["who"], d["speaks_of"], d["words"]))
        )

        self.beside.submitted.connect(
            lambda d: self.do.emit(
                lambda s: s.workshop.read_beside(d["other"], d["what"], d["mine"], d["its"], d["signal"], d["splitter"])
            )
        )

    def _fit(self, d: dict[str, str]) -> None:
        count = d["count"] or "1"
        if not (count.isascii() and count.isdigit()):
            self.parts.show_error(tr("“{text}” is not a count. Write how many, like 4.", text=count))
            return
        self.do.emit(
            lambda s: s.workshop.fit_part(d["part"], int(count), d["fitted"], d["instead"], d["why"], d["price"])
        )

    def _loose_pressed(self, key: str, button: int) -> None:
        if button == 0:
            self.do.emit(lambda s: s.tie(key))
            return
        why = self.why.text("why")
        if not why:
            self.why.show_error(tr("Enter the reason it stays, then press “stays” again."))
            self.why.fields["why"].setFocus()
            return
        self.why.pending = True
        self.why.taken()
        self.do.emit(lambda s: s.tie(key, why))

    def _warn(self) -> None:
        """What was tried already with the same words."""
        if self.view is None:
            return
        words = f"{self.tried.text('suspected')} {self.tried.text('done')}".lower().split()
        alike = [t for t in self.view.tried if any(len(w) > 2 and w in t.what.lower() for w in words)]
        self.before.setText(tr("Tried already: {what}", what=" · ".join(f"{t.what} ({tr(t.mark)})" for t in alike[:3])))
        self.before.setVisible(bool(alike))

    def fill(self, view: CardView, other: bool) -> None:
        self._warn()
        self.parts.offer("part", view.names)
        # On-air reports come in after a radio has gone home, too.
        self.air.setEnabled(True)
        self.air._tell()
        self.tried_list.show_lines(
            [Line(t.mark, t.what, f"{t.when} · {tr(t.mark)}") for t in view.tried], tr("No attempt yet in this job.")
        )  # fmt: skip
        self.parts_list.show_lines([Line("", f"{p.when} {p.what}", p.mark) for p in view.parts], tr("No parts yet."))
        buttons = () if view.finished else (tr("put right"), tr("stays"))
        self.loose_list.show_lines(
            [Line("recheck" if x.id else "done", x.what, "" if x.id else x.mark, x.id, buttons if x.id else ()) for x in view.loose],
            tr("No loose ends."),
        )  # fmt: skip
        self.time_words.setText(tr("{t} in all", t=view.time_words) if view.times else tr("No time noted yet."))
        self.beside_words.setText(view.beside_words)
        self.beside_words.setVisible(bool(view.beside_words))
        self.beside_list.show_lines(
            [Line("", t.what, f"{t.when} · {t.mark}") for t in view.beside],
            tr("One signal through a splitter, or the same aerial in turn. Log both."),
        )
        self.time_list.show_lines([Line("", f"{t.when}: {t.what}") for t in view.times])
        self.air_list.show_lines(
            [Line("undecided", t.what, f"{t.when} · {t.mark}") for t in view.on_air], tr("No reports yet. They are weak evidence.")
        )  # fmt: skip

    def first(self) -> QWidget:
        return self.tried.fields["suspected"]
