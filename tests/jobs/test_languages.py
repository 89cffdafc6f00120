"""The program in other languages: every text is marked, German is whole, and data stays data."""

import io
import json
import os
import re
import shutil
import struct
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from typing import Any

from babel.messages.catalog import Catalog
from babel.messages.mofile import read_mo
from babel.messages.pofile import read_po

from keen_trellis.base.language import tr, tr_n

ROOT = Path(__file__).parents[2]
sys.path.insert(0, str(ROOT / "tools"))

from catalogues import (  # noqa: E402
    DOMAIN,
    LANGUAGES,
    brought_up,
    missing,
    named,
    pseudo,
    texts,
    unmarked,
)

GERMAN = LANGUAGES / "de" / "LC_MESSAGES"
SEASON = "whole-season.trellis"


class CatalogueTest(unittest.TestCase):
    def test_no_sentence_stands_in_the_code_without_a_mark(self) -> None:
        self.assertEqual(list(unmarked()), [])

    def test_german_has_every_text_and_none_that_is_gone(self) -> None:
        found = texts()
        self.assertGreater(len(found), 2_500)
        now = brought_up("de", found)
        self.assertEqual(missing(now), [], "translate these: CONTRIBUTING.md, A text")
        kept = read_po(io.BytesIO((GERMAN / f"{DOMAIN}.po").read_bytes()))
        compiled = read_mo(io.BytesIO((GERMAN / f"{DOMAIN}.mo").read_bytes()))
        for catalogue in (kept, compiled):  # else `make languages` was not run
            self.assertEqual(said_in(catalogue), said_in(now))

    def test_a_translation_has_the_values_that_its_text_has(self) -> None:
        def values(text: str) -> set[str]:
            return {re.split("[:!.]", one[1:-1])[0] for one in named(text)}

        for one in read_po(io.BytesIO((GERMAN / f"{DOMAIN}.po").read_bytes())):
            ids = one.id if isinstance(one.id, tuple) else (one.id,)
            said = one.string if isinstance(one.string, tuple) else (one.string,)
            if one.id:
                wanted = set().union(*map(values, ids)) - {"n"}
                for form in said:
                    with self.subTest(form):
                        self.assertEqual(values(form) - {"n"}, wanted)
                        # what is put together keeps its seams
                        self.assertEqual(form[:1] == " ", ids[0][:1] == " ")
                        self.assertEqual(form[-1:] == " ", ids[0][-1:] == " ")

    def test_values_and_numbers_are_put_into_a_text(self) -> None:
        self.assertEqual(tr("{rows:,} of {lane}", rows=1_204, lane="1,5 {x}"), "1,204 of 1,5 {x}")
        self.assertEqual(tr_n(1, "{n} row", "{n:,} rows"), "1 row")
        self.assertEqual(tr_n(1_204, "{n} row", "{n:,} rows"), "1,204 rows")


class SpokenTest(unittest.TestCase):
    """What the command line says, in processes of their own: a language is settled at the start."""

    def setUp(self) -> None:
        room = tempfile.TemporaryDirectory()
        self.addCleanup(room.cleanup)
        self.room = Path(room.name)
        shutil.copytree(
            ROOT / "demo", self.room / "demo", ignore=shutil.ignore_patterns("out", "*.py")
        )

    def said(self, *words: str, fails: bool = False, **surroundings: str) -> str:
        kept = {k: v for k, v in os.environ.items() if k not in _TELLING}
        places = {f"XDG_{one}_HOME": str(self.room / one) for one in ("CONFIG", "DATA", "STATE")}
        done = subprocess.run(
            [sys.executable, "-m", "keen_trellis", *words],
            cwd=self.room / "demo",
            env={**kept, **places, **surroundings},
            capture_output=True,
            text=True,
            timeout=120,
        )
        self.assertNotIn("Traceback", done.stderr)
        self.assertEqual(done.returncode != 0, fails, done.stderr)
        return done.stdout + done.stderr

    def test_the_desktop_says_which_language_unless_the_settings_do(self) -> None:
        german, english = "Bahn Sailings liest", "Lane Sailings reads"
        for expected, surroundings in (
            (english, {}),
            (german, {"LANG": "de_DE.UTF-8"}),
            (german, {"LANG": "de_AT.UTF-8", "LC_MESSAGES": "de_CH"}),
            (english, {"LANG": "de_DE.UTF-8", "LC_ALL": "C.UTF-8", "LANGUAGE": "de"}),
            (english, {"LANG": "de_DE.UTF-8", "LANGUAGE": "en:de"}),
            (german, {"LANG": "en_GB.UTF-8", "LANGUAGE": "xx_YY@z:de:en"}),
            (english, {"LANG": "fr_FR.UTF-8"}),
            (german, {"LANG": "C", "KEEN_TRELLIS_LANGUAGE": "de"}),
        ):
            with self.subTest(surroundings):
                self.assertIn(expected, self.said("describe", SEASON, **surroundings))
        settings = self.room / "CONFIG" / "keen-trellis" / "settings.json"
        settings.parent.mkdir(parents=True)
        settings.write_text('{"look.language": "de"}')
        self.assertIn(german, self.said("describe", SEASON, LANG="fr_FR.UTF-8"))
        settings.write_text('{"look.language": "tlh"}')
        told = self.said("describe", SEASON)
        self.assertIn("look.language", told)
        self.assertIn(english, told)

    def test_counts_plans_and_files_are_the_same_in_every_language(self) -> None:
        made: dict[str, list[Any]] = {}
        for language in ("en", "de"):
            out = self.room / "demo" / "out"
            shutil.rmtree(out, ignore_errors=True)
            run = self.said("run", SEASON, "--json", "--deliver", KEEN_TRELLIS_LANGUAGE=language)
            sql = self.said("sql", SEASON, KEEN_TRELLIS_LANGUAGE=language)
            files = {one.name: one.read_bytes() for one in sorted(out.glob("*.csv"))}
            self.assertTrue(files)
            uncommented = re.sub(r"/\*.*?\*/|--[^\n]*", "", sql, flags=re.S)
            made[language] = [numbers(json.loads(run)), files, uncommented]
        for english, german in zip(made["en"], made["de"], strict=True):
            self.assertEqual(english, german)

    def test_a_sentence_has_its_order_its_numbers_and_its_plurals(self) -> None:
        said = self.said("run", "winter-season.trellis", KEEN_TRELLIS_LANGUAGE="de")
        for words in (
            "Sailings: 1.209 Zeilen, 9 Spalten gelesen",
            "für den gilt: route ist gleich code",
            "1.340 Zeilen gehen weiter: jede Zeile aus Sailings, davon 131 mehrfach",
            "1 Zeile aus Vessels bleibt zurück.",
            "2 Zeilen aus Routes bleiben zurück.",
        ):
            self.assertIn(words, said)
        helped = self.said("run", "--help", KEEN_TRELLIS_LANGUAGE="de")
        self.assertRegex(helped, r"(?s)^Aufruf: .*Angaben:.*Schalter:.*diese Hilfe zeigen")
        wrong = self.said("run", "--nonsense", fails=True, KEEN_TRELLIS_LANGUAGE="de")
        self.assertRegex(wrong, r"keen-trellis run: Fehler: Es fehlt: FILE")
        gone = self.said("run", "not-there.trellis", fails=True, KEEN_TRELLIS_LANGUAGE="de")
        self.assertRegex(gone, "Das Spalier .*not-there.trellis lässt sich nicht öffnen")

    def test_a_language_is_added_by_a_file_and_a_bad_one_does_no_harm(self) -> None:
        place = self.room / "DATA" / "keen-trellis" / "languages" / "xx" / "LC_MESSAGES"
        place.mkdir(parents=True)
        file = place / f"{DOMAIN}.mo"
        whole = pseudo()
        file.write_bytes(whole)
        told = self.said("run", SEASON, KEEN_TRELLIS_LANGUAGE="xx")
        self.assertEqual(re.sub(r"⟦.*⟧|\S*/\S*", "", told).count("rows"), 0)
        for damage in (b"", whole[:12], whole[:5_000], struct.pack("<I", 0) * 9, b"\xff" * 99):
            file.write_bytes(damage)
            told = self.said("describe", SEASON, KEEN_TRELLIS_LANGUAGE="xx")
            self.assertIn("Lane Sailings reads operations.ods", told)
        # a translation that names what its text does not have
        file.write_bytes(pseudo(lambda text: text + "{nothing}{"))
        self.assertIn("1,209 rows", self.said("run", SEASON, KEEN_TRELLIS_LANGUAGE="xx"))


_TELLING = {"LANG", "LC_ALL", "LC_MESSAGES", "LANGUAGE", "KEEN_TRELLIS_LANGUAGE"}


def said_in(catalogue: Catalog) -> dict[Any, Any]:
    """Return what a catalogue says for each text, without its head."""
    made = {}
    for one in catalogue:
        text, said = (tuple(x) if isinstance(x, list) else x for x in (one.id, one.string))
        made[text] = said
    return {text: said for text, said in made.items() if text}


def numbers(told: Any) -> Any:
    """Return what a run told, without its sentences and times."""
    if isinstance(told, dict):
        return {name: numbers(one) for name, one in told.items()}
    if isinstance(told, list):
        return [numbers(one) for one in told]
    return None if isinstance(told, str) else told
