"""Gathers the marked texts of the code, and holds the catalogues of other languages to them.

`catalogues.py` takes up new texts in every catalogue, drops those that are gone, and compiles;
`catalogues.py --new LANGUAGE` begins one. What is not translated yet is counted.
"""

from __future__ import annotations

import ast
import io
import re
import sys
from collections.abc import Callable, Iterator, Sequence
from datetime import UTC, datetime
from pathlib import Path

from babel.messages.catalog import Catalog
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po
from jinja2 import Environment, nodes

from keen_trellis.base.shipped import SHIPPED
from keen_trellis.base.version import VERSION

SOURCES = Path(__file__).parents[1] / "src" / "keen_trellis"
LANGUAGES = SHIPPED / "languages"
DOMAIN = "keen_trellis"
Text = str | tuple[str, str]
"""A text, or one for a single thing and one for several."""

NUMBERS = "1,234.5"
"""Its translation says how a language writes numbers."""
_WORDS_OF_DOCUMENTS = re.compile(r"[a-z]{2}")


def texts() -> set[Text]:
    """Return every text that is marked."""
    found: set[Text] = {NUMBERS}
    for path in SOURCES.rglob("*.py"):
        found.update(_marked(ast.parse(path.read_text(encoding="utf-8"))))
    for path in SOURCES.rglob("*.html"):
        found.update(_marked_in_page(path.read_text(encoding="utf-8")))
    return found


def _marked(tree: ast.Module) -> Iterator[Text]:
    """Yield what stands in calls of `tr`, `marked`, `tr_n`, `counted`, and in types of words."""
    for node in ast.walk(tree):
        match node:
            case ast.Call(func=ast.Name("tr" | "marked"), args=[ast.Constant(str() as text)]):
                yield text
            case ast.Call(
                func=ast.Name("tr_n"),
                args=[_, ast.Constant(str() as one), ast.Constant(str() as many), *_],
            ):
                yield one, many
            case ast.Call(func=ast.Name("counted"), args=[_, ast.Constant(str() as word), *more]):
                plural = more[0].value if more and isinstance(more[0], ast.Constant) else f"{word}s"
                yield f"{{n:,}} {word}", f"{{n:,}} {plural}"
            case ast.AnnAssign(target=ast.Name("type"), value=ast.Constant(str() as kind)):
                yield kind.capitalize()  # as a title
            case ast.ClassDef(bases=[ast.Name("StrEnum")], body=body):
                for one in body:
                    if isinstance(one, ast.Assign) and isinstance(one.value, ast.Constant):
                        yield str(one.value.value)
            case ast.Subscript(value=ast.Name("Literal"), slice=words):
                # the words of a document are shown as well; there they are looked up by themselves
                for word in ast.walk(words):
                    said = word.value if isinstance(word, ast.Constant) else None
                    if isinstance(said, str) and _WORDS_OF_DOCUMENTS.search(said):
                        yield said


def _marked_in_page(page: str) -> Iterator[Text]:
    """Yield what stands in calls of `tr` and `counted` in a page of the match report."""
    for call in Environment().parse(page).find_all(nodes.Call):
        said = [one.value for one in call.args if isinstance(one, nodes.Const)]
        match getattr(call.node, "name", ""), said:
            case "tr", [str() as text]:
                yield text
            case "counted", [str() as word]:
                yield f"{{n:,}} {word}", f"{{n:,}} {word}s"


_FAULTS = {"ValueError", "TypeError", "AttributeError", "AssertionError", "KeyError", "OSError"}
"""What is raised at a fault of the program's own, and no person is told as it stands."""
_NOT_SHOWN = ("desktop/help/topics.py", "desktop/theme.py")
"""Headings of the guide, which is in English; a style sheet."""
_BEGINS, _ENDS = re.compile(r"[A-Z“{](?!trl\+)"), re.compile(r"[.?!…]$")


def unmarked() -> Iterator[tuple[str, int, str]]:
    """Yield what reads as a sentence and stands in the code without a mark: module, line, text."""
    for path in sorted(SOURCES.rglob("*.py")):
        where = path.relative_to(SOURCES).as_posix()
        if where not in _NOT_SHOWN:
            tree = ast.parse(path.read_text(encoding="utf-8"))
            known = set(_not_to_mark(tree))
            for node in ast.walk(tree):
                for word in _words_shown(node):
                    yield where, getattr(node, "lineno", 0), word
                said = "" if id(node) in known else _literal(node)
                if _BEGINS.match(said) and _ENDS.search(said) and re.search("[a-z]{2}", said):
                    yield where, getattr(node, "lineno", 0), said


_SHOW = {"word", "say", "tell", "setText", "setToolTip", "setAccessibleName", "setWindowTitle"}
_SHOW |= {"setPlaceholderText", "setAccessibleDescription"}


def _words_shown(node: ast.AST) -> Iterator[str]:
    """Yield the words that are handed to what shows them, or joins what is listed, as they are."""
    match node:
        case ast.Call(func=ast.Attribute(ast.Constant(str() as joint), "join")):
            said: list[ast.AST] = [ast.Constant(joint)]
        case ast.Call(func=ast.Attribute(attr=name), args=[first, *_]) if name in _SHOW:
            said = _branches(first)
        case ast.Call(func=ast.Attribute(attr="drawText"), args=[*_, last]):
            said = [last]
        case ast.Call(func=ast.Name("tr" | "tr_n"), keywords=[*parts]):
            said = [one for part in parts for one in _branches(part.value)]
        case _:
            return
    for text in map(_literal, said):
        if re.search("[a-z]{2}", re.sub("<[^>]*>|Keen Trellis", "", text)):
            yield text


def _branches(node: ast.AST) -> list[ast.AST]:
    """Return what an expression may give: itself, or either branch of a choice."""
    return [node.body, node.orelse] if isinstance(node, ast.IfExp) else [node]


def _literal(node: ast.AST) -> str:
    """Return a text as it stands in the code, with {} for each value in it."""
    match node:
        case ast.Constant(value=str() as text):
            return text
        case ast.JoinedStr(values=parts):
            return "".join(
                _literal(one) if isinstance(one, ast.Constant) else "{}" for one in parts
            )
    return ""


def _not_to_mark(tree: ast.Module) -> Iterator[int]:
    """Yield the nodes within marks, docstrings, patterns, and what is raised at a fault of ours."""
    for node in ast.walk(tree):
        match node:
            case ast.Call(func=ast.Name("tr" | "tr_n" | "marked" | "counted")):
                inner: Sequence[ast.AST] = node.args
            case ast.Call(func=ast.Name(name)) if name in _FAULTS:
                inner = node.args
            case ast.Call(func=ast.Attribute(value=ast.Name("re"))):
                inner = node.args
            case ast.Expr(value=ast.Constant()):
                inner = [node]
            case ast.JoinedStr(values=parts):
                inner = [one for one in parts if isinstance(one, ast.Constant)]
            case _:
                continue
        for one in inner:
            yield from map(id, ast.walk(one))


def named(text: str) -> set[str]:
    """Return the names in braces that a text has, with how each is written."""
    return set(re.findall(r"\{[^{}]*\}", text.replace("{{", "").replace("}}", "")))


def brought_up(language: str, found: set[Text]) -> Catalog:
    """Return the catalogue of a language with the texts of the code, and none that is gone."""
    path = LANGUAGES / language / "LC_MESSAGES" / f"{DOMAIN}.po"
    before = Catalog(locale=language)
    if path.exists():
        before = read_po(io.BytesIO(path.read_bytes()), locale=language)
    made = Catalog(
        language, header_comment=_HEADER, project="keen-trellis", version=VERSION, fuzzy=False
    )
    made.msgid_bugs_address, made.last_translator, made.language_team = "", "", ""
    made.creation_date = made.revision_date = _NO_DATE
    for text in sorted(found, key=str):  # by itself: a text that moves changes nothing
        known = before.get(text[0] if isinstance(text, tuple) else text)
        is_same = known is not None and isinstance(known.id, tuple) == isinstance(text, tuple)
        said = known.string if is_same and known is not None else None
        made.add(text, said)
    return made


_HEADER = "# Texts of Keen Trellis; tools/catalogues.py keeps the list, people the translations."
_NO_DATE = datetime(2026, 1, 1, tzinfo=UTC)
"""What stands for the date in a catalogue: it changes when its texts do, and not by the day."""


def written(catalogue: Catalog) -> tuple[bytes, bytes]:
    """Return a catalogue as its text and as what the program reads."""
    text, compiled = io.BytesIO(), io.BytesIO()
    write_po(text, catalogue, width=100, no_location=True)
    write_mo(compiled, catalogue)
    return text.getvalue(), compiled.getvalue()


def pseudo(changed: Callable[[str], str] | None = None) -> bytes:
    """Return a catalogue whose texts are half as long again, between brackets, in odd letters.

    What is seen in plain letters is not marked, also as a value within a text that is; what is seen
    without its end is cut off.
    """
    change = changed or _longer
    made = Catalog()
    for text in texts():
        said = tuple(map(change, text)) if isinstance(text, tuple) else change(text)
        made.add(text, NUMBERS if text == NUMBERS else said)
    return written(made)[1]


def _longer(text: str) -> str:
    core = "".join(_in_odd_letters(text.strip()))
    before, behind = text[: len(text) - len(text.lstrip())], text[len(text.rstrip()) :]
    more = " ".join("~" * min(8, left) for left in range(len(core) // 2, 0, -9))
    return f"{before}⟦{core} {more}⟧{behind}"


_ODD = str.maketrans("abcdefghijklnoprstuwyz", "àƀçđéƒĝĥîĵķļñöþŕšţüŵýž")
"""About as wide as the letters that they stand for."""


def _in_odd_letters(text: str) -> Iterator[str]:
    """Yield a text in other letters, with its values and what argparse fills in as they are."""
    for part in re.split(r"(\{\{|\}\}|\{[^{}]*\}|%\(\w+\)s|<[^>]*>|\S*[./]\w\S*)", text):
        is_filled = re.match(r"\{\w|%\(|<|\S*[./]\w", part)
        yield part if is_filled else part.translate(_ODD)


def missing(catalogue: Catalog) -> list[Text]:
    """Return the texts that a catalogue has no translation of."""
    return [one.id for one in catalogue if one.id and not all(_strings(one.string))]


def _strings(said: str | Sequence[str] | None) -> Sequence[str]:
    return (said or "",) if said is None or isinstance(said, str) else said


def main() -> None:
    """Bring every catalogue up to the code."""
    found = texts()
    if sys.argv[1:2] == ["--new"]:
        (LANGUAGES / sys.argv[2] / "LC_MESSAGES").mkdir(parents=True, exist_ok=True)
    for folder in sorted(LANGUAGES.glob("*/LC_MESSAGES")):
        catalogue = brought_up(folder.parent.name, found)
        text, compiled = written(catalogue)
        (folder / f"{DOMAIN}.po").write_bytes(text)
        (folder / f"{DOMAIN}.mo").write_bytes(compiled)
        lacking = len(missing(catalogue))
        print(f"{folder.parent.name}: {len(found):,} texts, {lacking:,} without a translation")


if __name__ == "__main__":
    main()
