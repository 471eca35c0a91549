"""Random templates, and remedies followed from them: shared by the tests and the long proof in
`benchmarks/remedies.py`.
"""

from __future__ import annotations

from contextlib import suppress
from random import Random

from idle_quarry.demo.templates import house_shelf, own_shelf
from idle_quarry.errors import QuarryError
from idle_quarry.path.changes.edits import edited
from idle_quarry.path.evaluate import evaluate
from idle_quarry.path.evaluation import Evaluation
from idle_quarry.path.settings import settings_of, with_setting
from idle_quarry.path.template import Template

ALL = [saved.template for history in [*house_shelf(), *own_shelf()] for saved in history]
#: No template here has so many findings that as many remedies could each make it better.
MOST_STEPS = 60


def scrambled(random: Random) -> Template:
    """Return a demo template with a few settings chosen by chance, of those that can be chosen."""
    template = random.choice(ALL)
    for _ in range(random.randint(1, 6)):
        setting = random.choice([item for item in settings_of(template) if item.choices])
        with suppress(QuarryError):
            template = with_setting(template, setting, random.choice(setting.choices))
    return template


def suffering(result: Evaluation) -> tuple[int, ...]:
    """Return stops, broken links, cautions, lossy links and notes, counted apart from the program's own count."""
    grades = [link.grade for link in result.links if link.target != "proxy"]
    stops, cautions, notes = (
        sum(f.severity == severity for f in result.findings) for severity in ("stop", "caution", "note")
    )
    return stops, grades.count("broken"), cautions, grades.count("lossy"), notes


def followed(random: Random, templates: int) -> int:
    """Follow remedies by chance until none is left; return how many.

    Raises `AssertionError` where one makes it worse, or no end comes.
    """
    count = 0
    for _ in range(templates):
        template = scrambled(random)
        for _step in range(MOST_STEPS):
            offers = [finding.remedy for finding in evaluate(template).findings if finding.remedy]
            if not offers:
                break
            remedy = random.choice(offers)
            after = edited(template, *remedy.edits)
            before, now = (suffering(evaluate(item, remedies=False)) for item in (template, after))
            assert now < before, (template.name, remedy.label, before, now)
            template, count = after, count + 1
        else:
            raise AssertionError(f"{template.name}: remedies go on without end")
    return count
