"""Hundreds of edits by chance: undone, done again, and told alike by window and command line."""

import contextlib
import io
import json
import random
import unittest
from typing import Any

from PySide6.QtGui import QAccessible
from PySide6.QtWidgets import QPushButton

from keen_trellis.cli.main import main
from keen_trellis.document import DelimitedSource
from keen_trellis.document.edits import AddLane, AddTie
from keen_trellis.document.items import LinkedFields
from keen_trellis.document.storage import save
from keen_trellis.run.facts import Facts, JoinFacts
from tests.desktop.window_case import WindowTestCase
from tests.document.test_items import FILES
from tests.random_edits import any_edit

STEPS = 500


class RandomEditsTest(WindowTestCase):
    def setUp(self) -> None:
        super().setUp()
        QAccessible.setActive(True)  # the map is heard meanwhile, in whatever state it is
        self.addCleanup(QAccessible.setActive, False)
        for name, text in FILES.items():
            (self.folder / f"{name}.csv").write_text(text)
            path = str(self.folder / f"{name}.csv")
            self.session.do(AddLane(name.capitalize(), DelimitedSource(path=path)))
        link = (LinkedFields(left="route", right="code"),)
        self.session.do(AddTie("monday", "routes", link))

    def heard_parts(self) -> set[str]:
        children = self.window.map.viewport().findChildren(QPushButton)
        return {one.objectName().removeprefix("map.") for one in children}

    def parts(self) -> set[str]:
        lanes = self.session.trellis.lanes
        return {lane.id for lane in lanes} | {item.id for lane in lanes for item in lane.items}

    def told(self) -> dict[str, Any]:
        path = self.folder / "week.trellis"
        save(self.session.trellis, path)
        said = io.StringIO()
        with contextlib.redirect_stdout(said), contextlib.redirect_stderr(io.StringIO()):
            main(["run", str(path), "--json"])
        found: dict[str, Any] = json.loads(said.getvalue())
        return found

    def test_the_window_and_the_command_line_agree_and_every_edit_is_taken_back(self) -> None:
        chance, session = random.Random(11), self.session
        session.telling.said.connect(lambda sentence, _: said.append(sentence))
        said: list[str] = []
        first = session.document.undo.index()
        seen = [session.trellis]
        for number in range(STEPS):
            session.do(any_edit(session.trellis, chance))
            if session.trellis is not seen[-1]:
                seen.append(session.trellis)
            if number % 10 == 0:
                self.settle()
                facts, told = session.results.facts, self.told()
                self.assertEqual(_numbers(facts), _told_numbers(told), seen[-1])
                self.assertEqual(session.results.trellis, session.trellis)
                self.assertEqual(self.heard_parts(), self.parts(), seen[-1])
        self.assertGreater(len(seen), STEPS / 4)
        self.assertEqual(session.document.undo.index() - first, len(seen) - 1)
        for trellis in reversed(seen[:-1]):
            session.document.undo.undo()
            self.assertEqual(session.trellis, trellis)
        for trellis in seen[1:]:
            session.document.undo.redo()
            self.assertEqual(session.trellis, trellis)


def _numbers(facts: Facts) -> dict[str, object]:
    lanes = {lane.name: lane.rows for lane in facts.lanes.values() if lane.rows is not None}
    ties = {
        tie.id: (tie.rows, tie.counts.pairs, tie.join, [one.is_kept for one in tie.promises])
        for tie in facts.joins()
    }
    steps = {
        item.id: (item.says, dict(item.numbers))
        for item in facts.items.values()
        if item.says and not isinstance(item, JoinFacts)
    }
    return {"lanes": lanes, "ties": ties, "steps": steps}


def _told_numbers(told: dict[str, Any]) -> dict[str, object]:
    beside = ("id", "lane", "type", "says")
    steps = {
        step["id"]: (step["says"], {k: v for k, v in step.items() if k not in beside})
        for step in told["steps"]
    }
    ties = {
        tie["id"]: (tie["rows"], tie["pairs"], tie["join"], [p["is_kept"] for p in tie["promises"]])
        for tie in told["ties"]
    }
    return {"lanes": {s["lane"]: s["rows"] for s in told["sources"]}, "ties": ties, "steps": steps}


if __name__ == "__main__":
    unittest.main()
