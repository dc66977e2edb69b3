"""Files of a commission's weeks: bench book, approval sheet, the record for the client's file, log and bundle."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

from hanabira.core.faults import Fault
from hanabira.desk.recipe_files import FileWriter
from hanabira.studio import bundle
from hanabira.studio.writing import write_file

if TYPE_CHECKING:
    from hanabira.core.token import Token


# the printing library is not needed before something is printed: what uses it is imported by the acts
class CommissionFiles(FileWriter):
    """Files of the weeks between the order and the delivery."""

    @property
    def all(self) -> list[tuple[str, Callable[[], object]]]:
        """Words and acts, for the menu."""
        return [
            ("Print the bench book", self.bench_book),
            ("Print the approval sheet for the client", self.approval),
            ("Print the quote for the client", self.quote),
            ("Print the record for the client’s file", self.record_pdf),
            ("Write: record as JSON", self.record_json),
            ("Write: log as CSV", self.log_csv),
            ("Write: everything as a bundle", self.bundle),
        ]

    def recipe_card(self) -> None:
        """The recipe card: numbered photo, and each area with its places and layers."""
        session, c = self.desk.session, self.desk.session.commission
        if c is None or session.view is None or not any(a.id in session.recipes for a in session.areas):
            self.desk.say("There is no recipe to print yet.", "Nothing was written.", "Draw an area and solve its layers first.")
            return
        if self._unmeasured("print again"):
            return
        target = self.desk.ask_target(f"{c.name} recipe card.pdf")
        if target is None:
            return
        from hanabira.session.recipe_card import card_content
        from hanabira.sheets.recipe_card import write_recipe_card

        content = card_content(session)

        def done(written: Path) -> None:
            session.messages.remark(f"The recipe card is written: {written}")
            self.desk.open_file(written)

        session.jobs.run("card", "Writing the recipe card", lambda token: write_recipe_card(content, target, token), done, lasting=True)

    def _unmeasured(self, again: str) -> bool:
        """Whether an area with layers is still being measured, which is said then."""
        session = self.desk.session
        missing = [a for a in session.areas if a.id in session.recipes and session.prediction(a.id) is None]
        for a in missing:
            session.want_measures(a.id)
        if missing:
            self.desk.say(f"“{missing[0].name}” is not measured yet.", "Nothing was written.", f"Wait a moment, then {again}.")
        return bool(missing)

    def bench_book(self) -> None:
        """The sessions to come as a book for the bench."""
        from hanabira.session.commission_sheets import book_of
        from hanabira.session.recipe_card import card_content
        from hanabira.sheets.bench_book import write_bench_book

        session = self.desk.session
        plan = session.planner.planned()
        if plan is None:
            self.desk.say("There is no plan to print yet.", "Nothing was written.", "Solve the layers of an area first.")
            return
        if self._unmeasured("write the book again"):
            return
        target = self._ask(".pdf", "bench book")
        if target is not None:
            book = replace(book_of(session, plan), card=card_content(session))
            self._run("Writing the bench book", lambda token: write_bench_book(book, target, token), True)

    def approval(self) -> None:
        """What the client agrees to, on one page."""
        from hanabira.session.commission_sheets import approval_of
        from hanabira.sheets.approval import write_approval

        session = self.desk.session
        if session.photo is None or session.view is None:
            self.desk.say("There is no photo to approve yet.", "Nothing was written.", "Add the client’s photo first.")
            return
        target = self._ask(".pdf", "for approval")
        if target is None:
            return
        content = approval_of(session)

        def work(token: Token) -> Path:
            return write_approval(content(token), target)

        self._run("Writing the approval sheet", work, True)

    def choose_mark(self) -> None:
        """Let the artist choose a picture that stands beside the studio's name on what clients get."""
        from hanabira.session.sender import mark_data

        path = self.desk.ask_open_path()
        session = self.desk.session

        def done(data: str) -> None:
            session.settings.set("studio_mark", data)
            session.messages.remark("The mark stands at the foot of what clients get from now on.")
            self.desk.current.refresh()

        if path:
            session.jobs.run("mark", "Reading the mark", lambda token: mark_data(path, token), done, asked=True)

    def remove_mark(self) -> None:
        """No mark on what clients get any more."""
        self.desk.session.settings.set("studio_mark", "")
        self.desk.current.refresh()

    def quote(self) -> None:
        """What is ordered, where the hours go, and the price."""
        from hanabira.session.quote_sheet import quote_of
        from hanabira.sheets.quote import write_quote

        plan = self.desk.session.planner.planned()
        if plan is None:
            self.desk.say("There is nothing to quote yet.", "Nothing was written.", "Solve the layers of an area first.")
            return
        target = self._ask(".pdf", "quote")
        if target is not None:
            content = quote_of(self.desk.session, plan)
            self._run("Writing the quote", lambda _t: write_quote(content, target), True)

    def record_pdf(self) -> None:
        """The record for the client's file."""
        from hanabira.session.commission_sheets import record_of
        from hanabira.sheets.record import write_record

        target = self._ask(".pdf", "record")
        if target is not None:
            content = record_of(self.desk.session)
            self._run("Writing the record", lambda token: write_record(content(token), target, token), True)

    def record_json(self) -> None:
        """The record as JSON."""
        from hanabira.session.commission_sheets import record_data

        target = self._ask(".json", "record")
        if target is not None:
            text = json.dumps(record_data(self.desk.session), ensure_ascii=False, indent=1)
            self._run("Writing the record", lambda _t: write_file(target, text))

    def log_csv(self) -> None:
        """The log as CSV."""
        target = self._ask(".csv", "log")
        if target is not None:
            text = bundle.log_csv(self.desk.session.logbook.rows())
            self._run("Writing the log", lambda _t: write_file(target, text))

    def bundle(self) -> None:
        """Everything of the commission in one open file."""
        c, store = self.desk.session.commission, self.desk.session.store
        target = self._ask(".hanabira.zip", "bundle")
        if target is not None and c is not None:
            self._run("Writing the bundle", lambda token: bundle.write_bundle(store, c.id, target, token))

    def keys(self, groups: list[tuple[str, list[tuple[str, str]]]]) -> None:
        """All keys, by group, as one printed sheet."""
        from hanabira.sheets.key_card import write_key_card

        page = self.desk.session.settings.get("card_paper")
        target = self.desk.ask_target("Hanabira keys.pdf")
        if target is not None:
            self._run("Printing the keys", lambda _t: write_key_card(groups, target, page), True)

    def handbook(self) -> None:
        """All pages of the handbook as one PDF."""
        from hanabira.desk.book import print_book

        target, page = self.desk.ask_target("Hanabira handbook.pdf"), self.desk.session.settings.get("card_paper")
        if target is not None:
            self._run("Printing the handbook", lambda _t: print_book(target, page), True)

    # -- photos of the work ---------------------------------------------------------
    def check_strip(self) -> None:
        """The check strip for the commission's kit."""
        from hanabira.core.progress.strip import chosen
        from hanabira.sheets.check_strip import write_check_strip

        kit = self.desk.session.kit
        target = self.desk.ask_target("check strip.pdf")
        if target is not None:
            pencils = [(code, kit.get(code).name) for code in chosen(kit)]
            self._run("Writing the check strip", lambda _t: write_check_strip(pencils, target), True)

    def read_strip(self) -> None:
        """The colours of the studio's own strip from a scan, kept for its kit."""
        from hanabira.core.progress.strip import read_strip
        from hanabira.studio.pictures import read_picture

        session = self.desk.session
        path = self.desk.ask_open_path()
        if not path:
            return
        kit = session.kit

        def done(found: dict[str, tuple[float, float, float]]) -> None:
            session.checkroom.keep_strip(found)
            session.messages.remark(
                f"The strip is read: {len(found)} of its 14 patches are known. Check counts on them from the next photo on."
            )

        session.jobs.run("read strip", "Reading the check strip", lambda _t: read_strip(read_picture(path).pixels, kit), done, asked=True)

    def progress_pair(self) -> None:
        """The client's photo and the last photo of the work side by side, straight on and without the cast."""
        from hanabira.session.progress_files import pair_writer

        session = self.desk.session
        shots = session.logbook.shots()
        shot = getattr(self.desk.current, "shot", None) or (shots[-1] if shots else None)
        if shot is None:
            self.desk.say("There is no photo of the work yet.", "Nothing was written.", "Take a photo first.")
            return
        target = self._ask(".pdf", "progress")
        if target is not None:
            try:
                work = pair_writer(session, shot, target)
            except Fault as fault:
                session.messages.fault(fault)
                return
            self._run("Writing the pair", work, True)

    def time_lapse(self) -> None:
        """All photos of the work as a film in one frame and light."""
        from hanabira.session.progress_files import film_writer

        session = self.desk.session
        target = self._ask(".webp", "film")
        if target is not None:
            try:
                work = film_writer(session, target)
            except Fault as fault:
                session.messages.fault(fault)
                return
            self._run("Writing the film", work, True)
