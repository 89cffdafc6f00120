"""What can be ignored when texts are compared, as data."""

from __future__ import annotations

from typing import Literal, get_args

from keen_trellis.base.language import marked, tr

TextRule = Literal["outer spaces", "doubled spaces", "case", "accents", "punctuation", "invisible"]
TEXT_RULES: tuple[TextRule, ...] = get_args(TextRule)
RULE_WORDS: dict[TextRule, str] = {
    rule: tr("invisible characters") if rule == "invisible" else tr(rule) for rule in TEXT_RULES
}
"""The rules as sentences say them."""

TEXT_CHOICES: dict[str, tuple[TextRule, ...]] = {
    marked("exactly"): (),
    marked("ignoring outer spaces"): ("outer spaces",),
    marked("ignoring case"): ("case",),
    marked("ignoring case and spaces"): TEXT_RULES[:3],
    marked("ignoring all but the letters"): TEXT_RULES,
}
"""The rules that are usually taken together, and how that is said."""
