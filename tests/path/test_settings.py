"""Settings have one name: on their sheets, in tables of many templates, in what is found."""

from __future__ import annotations

import pytest
from tests.conftest import demo_template

from idle_quarry.path.settings import label_in_all, label_of, settings_of

#: Lists whose members have a name of their own in a setting's place.
_LISTS = ("sources", "deliveries", "places", "inputs")


@pytest.mark.parametrize("name", ["House HD 50i", "The Lamp Room", "Sheet Seven", "Saltmarsh Hours"])
def test_a_setting_has_one_name_in_every_template(name: str) -> None:
    template = demo_template(name)
    for setting in settings_of(template):
        first, _, rest = setting.place.partition(".")
        place = f"{first}.{rest.partition('.')[2]}" if first in _LISTS else setting.place
        own, general = label_of(template, setting.place), label_in_all(place)
        assert own.rpartition(" · ")[2] == general.rpartition(" · ")[2], setting.place


def test_what_is_the_same_in_both_words_is_said_once() -> None:
    assert label_in_all("sources.policy.kernel") == "Sources · Filter" and label_in_all("monitor.monitor") == "Monitor"
