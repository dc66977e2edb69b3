"""The desk: thread on top, the stage and its bench card, the value rule below; menus and keys."""

from __future__ import annotations

import traceback
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEvent, QObject, Qt, QTimer, QUrl
from PyQt6.QtGui import QCloseEvent, QDesktopServices, QKeyEvent, QResizeEvent
from PyQt6.QtWidgets import (
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QFileDialog,
    QGridLayout,
    QLineEdit,
    QMainWindow,
    QPlainTextEdit,
    QWidget,
)

from hanabira.core.faults import Fault
from hanabira.desk import ask, theme
from hanabira.desk.actions import Actions
from hanabira.desk.acts import ROOMS
from hanabira.desk.commission_files import CommissionFiles
from hanabira.desk.controls import PetalButton
from hanabira.desk.explain import TOPICS, Explanation, WordCard
from hanabira.desk.handbook import Handbook, about_page
from hanabira.desk.recipe_files import RecipeFiles
from hanabira.desk.rescue import Rescue, two_ways
from hanabira.desk.save_dialog import PHOTO_FILTER, save_dialog, with_suffix
from hanabira.desk.stage import Pages, PictureStage, Stage
from hanabira.desk.stage_set import StageSet
from hanabira.desk.widgets.bench import Bench
from hanabira.desk.widgets.command_list import CommandList
from hanabira.desk.widgets.notices import JobStrip, MessageStrip
from hanabira.desk.widgets.thread import Thread
from hanabira.desk.widgets.value_rule import ValueRule
from hanabira.desk.work_camera import WorkCamera
from hanabira.handbook.pages import glossary, page_of
from hanabira.session.edits import SetStage
from hanabira.session.looks import LOOKS
from hanabira.studio.records import STAGES

if TYPE_CHECKING:
    from hanabira.desk.widgets.mat import Mat
    from hanabira.session.session import Session

DAY_MS = 60_000
"""How often it is looked whether the day has changed."""
SAFE_MS = 4000
"""A start that lives so long was no broken one."""
READY_MS = 150
"""After that the stages that were not needed yet are made."""
LOW = 470
"""Design height of a window under which thread, value rule and the bench's head fold."""
_TYPING = (QLineEdit, QPlainTextEdit, QAbstractSpinBox, QComboBox)


class Desk(QMainWindow):
    """The main window. Stages are views of one session; nothing here computes."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setWindowTitle("Hanabira")
        self.setMinimumSize(900, 600)
        self._apply_theme()
        self.thread_ = Thread(STAGES, session.share_done)
        self.bench = Bench()
        self.rule = ValueRule()
        self.job_strip, self.message_strip = JobStrip(session.jobs), MessageStrip()
        self.pages = Pages()
        self.camera = WorkCamera(self)
        self.stages = StageSet(self, lambda stage: self.pages.addWidget(stage.centre))
        centre = QWidget()
        grid = QGridLayout(centre)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(0)
        grid.addWidget(self.thread_, 0, 0, 1, 2)
        grid.addWidget(self.pages, 1, 0)
        grid.addWidget(self.bench, 1, 1)
        grid.addWidget(self.rule, 4, 0, 1, 2)
        grid.setRowStretch(1, 1)
        grid.setColumnStretch(0, 1)
        self.setCentralWidget(centre)
        for strip in (self.job_strip, self.message_strip):
            strip.setParent(centre)
        self.job_strip.float_over(self.pages, lambda: self.current.foot)
        self.job_strip.installEventFilter(self.message_strip)
        # a message stands over the work that is under way
        self.message_strip.float_over(
            self.pages, lambda: self.current.foot + (self.job_strip.height() if self.job_strip.isVisible() else 0)
        )
        self.current = Stage(self)  # until the first one is shown
        self.command_list = CommandList(self)
        self.writers = RecipeFiles(self)
        self.records = CommissionFiles(self)
        self.handbook: Handbook | None = None
        self._held = self._held_by = ""
        self._next_off = ""
        self.commands = Actions(self)
        self.actions_ = self.commands.by_words
        self._connect()
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        app.installEventFilter(self)
        size = session.settings.get("window")
        self.resize(*(size if len(size) == 2 else (1280, 800)))
        self._fit()
        self.ask_open_path: Callable[[], str] = self._file_to_open
        self.ask_kit_path: Callable[[], str] = self._kit_file_to_open
        self.ask_technique_path: Callable[[], str] = lambda: QFileDialog.getOpenFileName(
            self, "Open a technique", "", "Techniques (*.toml)"
        )[0]
        self.ask_save_path: Callable[[str], str] = self._file_to_save
        self.open_file: Callable[[Path], object] = lambda path: QDesktopServices.openUrl(QUrl.fromLocalFile(str(path)))
        self.show_studio: Callable[[Path], None] = lambda _folder: None
        """Opens a window on a studio's folder, as the start does."""
        self.ask_leave: Callable[[str], str] = self._leave_or_wait
        self.ask_remove: Callable[[str], bool] = self._remove_or_keep
        self._leaving = self._told_displaced = False
        self._waits: list[QTimer] = []
        self._start_where_it_was()

    # -- starting ------------------------------------------------------------
    def _connect(self) -> None:
        m = self.session
        m.messages.said.connect(self.message_strip.say)
        m.messages.said.connect(lambda _m: self._look_displaced())
        m.stage_changed.connect(self._show_stage)
        m.commission_changed.connect(self._retitle)
        for signal in (m.areas_changed, m.photo_changed):
            signal.connect(self._retitle)
        m.recipe_changed.connect(lambda _key: self._retitle())
        m.awoke.connect(self._awake)
        self.thread_.stage_wanted.connect(self.go)
        self.thread_.room_wanted.connect(self.show_room)
        self.thread_.find_wanted.connect(self.find_command)
        self.bench.back.clicked.connect(self.take_back)
        self.bench.next.clicked.connect(lambda: self.current.next())
        m.undo_changed.connect(self._undo_words)
        self._day = QTimer(self)
        self._day.timeout.connect(self._each_minute)
        self._day.start(DAY_MS)
        self._undo_words()

    def _start_where_it_was(self) -> None:
        settings = self.session.settings
        kept, broke = settings.get("commission"), settings.get("opening")
        ids = [c.id for c in self.session.commissions]
        key = kept if kept in ids else ids[-1] if ids else ""
        try:
            if key and key != broke:
                self.session.open_commission(key)
            else:
                self.show_room("Shelf")
        except Exception as error:  # whatever is wrong with one commission, the others must be reached
            self.session.messages.bug(error, "".join(traceback.format_exception(error)))
            self.show_room("Shelf")
        if key and key == broke:
            name = next(c.name for c in self.session.commissions if c.id == key)
            self.say(
                f"“{name}” was not opened: the last start with it did not come to its end.",
                "It is on the shelf as it was.",
                "Choose it there to try again.",
            )
        # once the window has been shown for a moment the commission has not broken the start
        self._after(SAFE_MS, self._opened_well)
        if self.session.awake:
            self._after(READY_MS, self.stages.get_ready)
        for words in self.session.store.remarks:
            what, _dot, more = words.partition(". ")
            self.say(f"{what}.", more)
        if self.session.store.read_only:
            self.say(
                f"This studio is open for reading only: {self.session.store.read_only}.",
                "Nothing you change here is kept.",
                "Close the other window to work on it." if "window" in self.session.store.read_only else "",
            )

    def _awake(self) -> None:
        """What is worked out can be shown now."""
        self._retitle()
        if self.session.view is None or not isinstance(self.current, PictureStage):  # one with a photo has just shown it
            self.current.refresh()
        self._after(READY_MS, self.stages.get_ready)

    def _after(self, ms: int, what: Callable[[], object]) -> None:
        """Do something a while later, unless the window is closed by then."""
        timer = QTimer(self, singleShot=True)
        timer.timeout.connect(what)
        self._waits.append(timer)
        timer.start(ms)

    def _opened_well(self) -> None:
        if self.session.settings.get("opening"):
            self.session.settings.set("opening", "")

    def _apply_theme(self) -> None:
        theme.use(self.session.settings.get("theme"), self.session.settings.get("text_size"))
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        theme.apply(app)

    # -- actions ---------------------------------------------------------------
    def find_command(self) -> None:
        """Open the searchable list of commands."""
        self.commands.refresh()
        self.command_list.open_with(self.commands.groups(), self.current.name, self, self.thread_)

    def print_keys(self) -> None:
        """All keys as one printed sheet."""
        from hanabira.desk.key_groups import key_groups  # it needs every stage's keys, and so every stage

        self.records.keys(key_groups(tuple(self.commands.acts.values())))

    def on_mat(self, run: Callable[[Mat], object]) -> None:
        """Do something with the open stage's mat; a stage without one says so."""
        mat = getattr(self.current, "mat", None)
        if mat is not None:
            run(mat)
        else:
            self.session.messages.remark(f"There is no picture in {self.current.name}.")

    def pin(self, look: str) -> None:
        """Keep a look, or let it go."""
        if isinstance(self.current, PictureStage):
            self.current.pin(look)
        else:
            self.session.messages.remark(f"There is no picture in {self.current.name}.")

    def step_area(self, step: int) -> None:
        """Choose the next area, or the one before."""
        areas = self.session.areas
        if areas:
            at = next((k for k, a in enumerate(areas) if a.id == self.session.area_id), -1 if step > 0 else 0)
            self.session.choose_area(areas[(at + step) % len(areas)].id)

    # -- going about ---------------------------------------------------------------
    def go(self, stage: str) -> None:
        """Open a stage of the commission and remember it."""
        if self.session.commission is None:
            self.show_room("Shelf")
            return
        if self.session.commission.stage != stage and not self.session.store.read_only:
            try:
                SetStage(self.session, stage).carry_out()
            except Fault as fault:
                self.session.messages.fault(fault)
        self._show_stage(stage)

    def _show_stage(self, stage: str) -> None:
        self._show(self.stages[stage if stage in self.stages else "Brief"])

    def show_room(self, room: str) -> None:
        """Open a room of the studio."""
        self._show(self.stages[room])

    def _show(self, stage: Stage) -> None:
        moved = stage is not self.current
        if moved:
            self.current.leave()
            self.message_strip.leave()
            self.rule.point_at(None)  # what the pointer read belongs to the picture that goes
        self.current = stage
        self.make_room()
        self.pages.setCurrentWidget(stage.centre)
        self.pages.updateGeometry()
        self._retitle()
        stage.enter()
        if moved:
            stage.take_focus()

    def make_room(self) -> None:
        """Bench and value rule give way where a stage wants the whole window."""
        self.bench.setVisible(not self.current.full)
        self.rule.setVisible(self.current.with_rule)

    def _retitle(self) -> None:
        c = self.session.commission
        room = self.current.name if self.current.name in ROOMS else ""
        title = c.name if c else "Hanabira"
        line = " for ".join(q for q in (c.animal, c.client) if q) if c else "plan animal portraits"
        self.thread_.set(title, line, self.current.name if not room else (c.stage if c else ""), room)
        self.setWindowTitle(f"{title} – Hanabira" if c else "Hanabira")

    def new_commission(self) -> None:
        """Make a commission and open its brief."""
        if self.session.new_commission() is not None:
            self.go("Brief")
            name = self.stages["Brief"]._fields.get("name")  # type: ignore[attr-defined]
            if name is not None:
                name.setFocus()
                name.selectAll()

    # -- what stages ask for ------------------------------------------------------
    def set_next(self, words: str, icon: str | None = None, off: str = "") -> None:
        """The one next thing; ``off`` says why it cannot be done yet."""
        q = self.bench.next
        q.icon_name = icon
        q.setText(words)
        q.setEnabled(not off)
        q.setToolTip(off or words)
        q.update()

    def mark_values(self, values: dict[str, float] | None, aims: dict[str, float] | None = None) -> None:
        """Mark an area's values on the value rule, with what kit and paper reach, and what was moved by choice."""
        if self.session.commission is None:
            self.rule.set({}, 0, 100)
            return
        reach = self.session.reach if self.session.awake else None
        self.rule.set(values or {}, *((reach.darkest_l, reach.lightest_l) if reach else (0, 100)), aims)

    def say(self, what: str, kept: str = "", do: str = "") -> None:
        """Say a fault."""
        self.session.messages.fault(Fault(what, kept, do))

    def explain(self, topic: str) -> None:
        """Open how something is measured."""
        title, words = TOPICS[topic]
        card = Explanation(self, title, words, lambda: self.open_handbook("measures", title))
        card.adjustSize()
        card.move(self.bench.mapToGlobal(self.bench.rect().topLeft()) - card.rect().topRight() + self.rect().topLeft())
        card.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.explanation: QWidget = card
        card.show()

    def open_word(self, word: str, at: QWidget) -> None:
        """Open what a word of the craft means, beside where it stands."""
        card = WordCard(self, glossary()[word], lambda: self.open_handbook("words", word))
        card.adjustSize()
        place = at.mapToGlobal(at.rect().bottomLeft())
        right = self.mapToGlobal(self.rect().bottomRight())
        card.move(
            min(place.x(), right.x() - card.width()),
            max(self.mapToGlobal(self.rect().topLeft()).y(), min(place.y(), right.y() - card.height())),
        )
        card.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.explanation = card
        card.show()

    def open_handbook(self, page: str = "", heading: str = "") -> None:
        """Open the handbook beside the desk: on a page, or on that of the open stage."""
        if self.handbook is None:
            acts = {"backup": self.back_up, "go-back": self.go_back, "folder": lambda: self.open_file(self.session.store.folder)}
            self.handbook = Handbook(
                self, acts, lambda: about_page(self.session.store.folder, list(self.session.store.backups())), self.records.handbook
            )
            self.handbook.resize(theme.u(860), min(theme.u(640), self.height()))
        self.handbook.show()
        self.handbook.open_page(page or page_of(self.current.name), heading)
        self.handbook.raise_()
        self.handbook.activateWindow()

    @property
    def px_per_mm(self) -> float:
        """Design pixels a millimetre on this screen."""
        return self.session.settings.get("screen_px_per_mm") / theme.scale()

    # -- files ------------------------------------------------------------------------
    def _file_to_open(self) -> str:
        def by_system() -> str:
            return QFileDialog.getOpenFileName(self, "Choose a picture file", str(start), PHOTO_FILTER)[0]

        kept = self.session.settings.get("photo_folder")
        start = next((f for f in (Path(kept), Path.home() / "Pictures", Path.home()) if str(f) != "." and f.is_dir()), Path.home())
        path = ask.picture(self, "Choose a picture file", start, self.session.jobs, by_system)
        if path:
            self.session.settings.set("photo_folder", str(Path(path).parent))
        return path

    def _file_to_save(self, name: str) -> str:
        dialog = save_dialog(self, name)
        return dialog.selectedFiles()[0] if dialog.exec() else ""

    def ask_target(self, name: str) -> Path | None:
        """Where a file is to be written, with the suffix of the suggested name; None when the person goes back."""
        path = self.ask_save_path(name.replace("/", "-"))  # a name may have a slash, a file may not
        return with_suffix(path, Path(name).suffix) if path else None

    def _kit_file_to_open(self) -> str:
        return QFileDialog.getOpenFileName(self, "Open a kit or swatch file", "", "Kits and swatches (*.csv *.gpl *.txt *.cgats)")[0]

    def ask_photo(self) -> None:
        """Ask for a picture file and take it in."""
        path = self.ask_open_path()
        if not path:
            return
        if self.session.commission is None:
            self.new_commission()
        self.session.add_photo(path)

    # -- backups ------------------------------------------------------------------------
    def back_up(self) -> None:
        """Copy the database as it stands."""
        session = self.session
        session.jobs.run(
            "backup",
            "Making a backup",
            lambda _t: session.store.backup(),
            lambda b: session.messages.remark(f"The backup is made: {b.path}"),
            lasting=True,
        )

    def go_back(self) -> None:
        """Show the backups, to go back to one."""

        def release() -> bool:
            return self.close()

        self.rescue = Rescue(self.session.store.folder, None, lambda: self.show_studio(self.session.store.folder), release)
        self.rescue.show()

    def _each_minute(self) -> None:
        self.session.look_at_the_day()
        self._look_displaced()

    def _look_displaced(self) -> None:
        """Another program changed the studio's files: say so once, and offer the two ways."""
        if self.session.store.displaced is not None and not self._told_displaced:
            self._told_displaced = True
            QTimer.singleShot(0, self.choose_studio)

    def choose_studio(self) -> None:
        """Go on with what this window holds, or with what another program put in its place."""
        store, folder = self.session.store, self.session.store.folder
        way = two_ways(self, store.displaced) if store.displaced is not None else None
        if way is not None:
            self.open_studio(folder, lambda: way(folder, self.session.clock.now()))

    # -- undo ----------------------------------------------------------------------------
    def take_back(self) -> None:
        """Take back the last change, whichever stage it was made in."""
        if self.session.undo is not None:
            self.session.undo.undo()

    def do_again(self) -> None:
        """Make the change again that was taken back."""
        if self.session.undo is not None:
            self.session.undo.redo()

    def _undo_words(self, *_: object) -> None:
        undo = self.session.undo
        words, can_undo = (undo.undo_words, undo.can_undo) if undo is not None else ("", False)
        self.bench.back.setText(f"Take back: {words}" if words else "Take back")
        self.bench.back.setEnabled(can_undo)
        self.bench.back.setToolTip("Take back the last change (Ctrl+Z)" if can_undo else "Nothing to take back")

    # -- theme and text size ---------------------------------------------------------------
    def switch_theme(self) -> None:
        """Day becomes evening and the other way round."""
        self.session.settings.set("theme", "evening" if theme.current() == "day" else "day")
        self.restyle()

    def text_step(self, step: int) -> None:
        sizes = theme.TEXT_SIZES
        at = sizes.index(self.session.settings.get("text_size"))
        self.session.settings.set("text_size", sizes[max(0, min(len(sizes) - 1, at + step))])
        self.restyle()

    def restyle(self) -> None:
        """Take theme and text size from the settings and lay everything out again."""
        self._apply_theme()
        self._fit()
        for q in (self.thread_, self.rule, self.bench.head, self.message_strip.words, self.job_strip.bar):
            q.refresh()
        for button in self.findChildren(PetalButton):
            button.updateGeometry()
        self.current.restyle()
        self.update()

    def calibrate_screen(self) -> None:
        """Open the ruler that makes true size true."""
        from hanabira.desk.widgets.screen_ruler import ScreenRuler

        self.screen_ruler = ScreenRuler(self, self.session.settings)
        self.screen_ruler.show()

    # -- events ------------------------------------------------------------------------------
    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Hold-to-look keys work everywhere but in a text field."""
        if (
            isinstance(event, QKeyEvent)
            and event.type() in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease)
            and isinstance(watched, QWidget)
            and watched.window() is self
        ):
            letter = event.text().upper() if event.text() else chr(event.key()) if 0x40 < event.key() < 0x5B else ""
            look = self.current.holds.get(letter) or next((k for k, q in LOOKS.items() if q[1] == letter), "")
            if (
                event.type() == QEvent.Type.KeyPress
                and look
                and not event.modifiers()
                and not isinstance(QApplication.focusWidget(), _TYPING)
            ):
                if not event.isAutoRepeat():
                    self._held, self._held_by = look, letter
                    self.current.hold(look)
                return True
            roll = getattr(self.current, "roll", None)
            if (
                event.type() == QEvent.Type.KeyPress
                and roll is not None
                and not event.modifiers()
                and not isinstance(QApplication.focusWidget(), _TYPING)
                and (way := next((q.id for q in roll.ways if q.key == event.text()), ""))
            ):
                roll.way_chosen.emit(way)
                return True
            if event.type() == QEvent.Type.KeyRelease and self._held and not event.isAutoRepeat() and letter == self._held_by:
                self._held = ""
                self.current.hold("")
                return True
            if (
                event.type() == QEvent.Type.KeyPress
                and event.key() == Qt.Key.Key_Escape
                and self.message_strip.isVisible()
                and not isinstance(QApplication.focusWidget(), _TYPING)
            ):
                self.message_strip.hide()
        return super().eventFilter(watched, event)

    def changeEvent(self, event: QEvent) -> None:
        if event.type() == QEvent.Type.ActivationChange and not self.isActiveWindow() and getattr(self, "_held", ""):
            self._held = ""
            self.current.hold("")
        super().changeEvent(event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        """The bench's width, and what folds in a low window so that the picture keeps its room."""
        low = self.height() / theme.scale() < LOW
        for part in (self.thread_, self.rule, self.bench):
            part.fold(low)
        self.bench.resize_to(self.width())

    def _leave_or_wait(self, words: str) -> str:
        answers = {"wait": "Finish, then close", "stop": "Stop it and close", "stay": "Stay"}
        return ask.question(
            self, "Work is still being written", words, "What is stopped leaves nothing half written.", answers, "stop", "wait"
        )

    def _remove_or_keep(self, words: str) -> bool:
        answers = {"remove": "Remove it", "keep": "Keep it"}
        return (
            ask.question(self, "Remove for good", words, "Write a bundle first if you may want it again.", answers, "remove", "keep")
            == "remove"
        )

    def _close_when_written(self) -> None:
        if self._leaving and not self.session.jobs.writing:
            self.session.jobs.changed.disconnect(self._close_when_written)
            QTimer.singleShot(0, self.close)

    def open_studio(self, folder: Path, before: Callable[[], object] = lambda: None) -> None:
        """Close this studio and open another one in its place; ``before`` runs while none is open."""
        if not self.close():
            return
        try:
            before()
        except Fault as fault:
            self.rescue = Rescue(folder, fault, lambda: self.show_studio(folder))
            self.rescue.show()
            return
        self.show_studio(folder)

    def closeEvent(self, event: QCloseEvent) -> None:
        writing = self.session.jobs.writing
        if writing:
            answer = "wait" if self._leaving else self.ask_leave(f"{writing[0].title}: this is not finished yet.")
            if answer != "stop":
                if answer == "wait" and not self._leaving:
                    self._leaving = True
                    self.session.jobs.changed.connect(self._close_when_written)
                event.ignore()
                return
        # a name being typed counts: leaving the field stores it
        focus = QApplication.focusWidget()
        if focus is not None:
            focus.clearFocus()
        for timer in (self._day, *self._waits):
            timer.stop()
        self.stages.stop()
        if self.handbook is not None:
            self.handbook.close()
        self.session.settings.set("window", [self.width(), self.height()])
        self._opened_well()
        app = QApplication.instance()
        if app is not None:
            app.removeEventFilter(self)
        self.session.shut()
        super().closeEvent(event)
