"""One word, one meaning; one thing, one word: the list in the guide, and the labels that keep to it."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterator
from importlib.resources import files

import tenka.effect.model  # noqa: F401  all settings are declared
from tenka.app.kinds import FORCES, VIEWS
from tenka.effect.catalogue import Settings, params

GUIDE = files("tenka") / "guide"


def classes(of: type = Settings) -> Iterator[type]:
    for each in of.__subclasses__():
        yield each
        yield from classes(each)


def labels() -> dict[str, dict[str, set[str]]]:
    """Of each label: what helps say of it, and whose setting says so."""
    found: dict[str, dict[str, set[str]]] = defaultdict(lambda: defaultdict(set))
    for each in set(classes()):
        if not each.__name__.startswith("_") and each.__module__.startswith("tenka."):
            for name, p in params(each).items():
                found[p.label][p.help].add(f"{each.__name__}.{name}")
    return found


def table() -> dict[str, tuple[str, list[str]]]:
    """Meaning of each word of the list, and the words that are not used for it."""
    rows = re.findall(r"^\| ([^|]+) \| ([^|]+) \| ([^|]*)\|$", (GUIDE / "words.md").read_text(), re.M)
    return {word.strip(): (means.strip(), no.replace(",", " ").split()) for word, means, no in rows[2:]}


def test_a_label_on_several_things_is_in_the_list() -> None:
    listed = {part.strip() for word in table() for part in re.sub(r"\(.*\)", "", word).split(",")}
    several = {label: says for label, says in labels().items() if len(says) > 1}
    missing = {
        label: sorted({w for whose in says.values() for w in whose})
        for label, says in several.items()
        if label not in listed
    }
    assert not missing, missing


def test_words_that_were_given_up_are_not_used() -> None:
    gone = {word for _, words in table().values() for word in words} - set(table())
    kept = {"rate", "stop", "reach", "below"}  # which mean something else where they stand
    shown = set(labels()) | {view.name.lower() for view in FORCES.values()} | set(VIEWS)
    assert not (gone - kept) & shown
    for page in GUIDE.iterdir():
        if page.name.endswith(".md") and page.name != "words.md":
            bold = set(re.findall(r"\*\*([^*]+)\*\*", page.read_text()))
            assert not bold & (gone - kept), (page.name, bold & gone)


def test_every_label_says_what_it_does_and_in_which_unit() -> None:
    for label, says in labels().items():
        assert label == label.strip() and not label.endswith("."), label
        for help in says:
            assert help[:1].isupper() and help.endswith((".", "?")), (label, help)
