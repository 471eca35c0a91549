"""Every setting of a template as a person meets it: its name, how it is typed, what follows from it.

One list serves the sheets, the search, the comparison of revisions and the setup sheet on paper.
"""

from idle_quarry.path.settings.formats import codec_follows
from idle_quarry.path.settings.index import (
    SHEET_NAMES,
    label_in_all,
    label_of,
    setting_at,
    settings_of,
    settings_on,
    sheet_name,
)
from idle_quarry.path.settings.setting import Setting, with_setting

__all__ = [
    "SHEET_NAMES",
    "Setting",
    "codec_follows",
    "label_in_all",
    "label_of",
    "setting_at",
    "settings_of",
    "settings_on",
    "sheet_name",
    "with_setting",
]
