"""Folders and files as a tree, what drifted with its word and colour."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from PySide6.QtWidgets import QTreeWidget, QTreeWidgetItem

from idle_quarry.app.widgets.basic.tinted import tint_branch


def fill_tree(tree: QTreeWidget, paths: Iterable[str], drifted: Mapping[str, str]) -> None:
    """Fill a tree with relative paths, and with those that came to it; `drifted` says what became of a path."""
    tree.clear()
    items: dict[str, QTreeWidgetItem] = {}
    for path in [*paths, *(extra for extra, kind in drifted.items() if kind == "extra")]:
        above, sofar = tree.invisibleRootItem(), ""
        for part in path.split("/"):
            sofar = f"{sofar}/{part}" if sofar else part
            if sofar not in items:
                item = items[sofar] = QTreeWidgetItem([part])
                if sofar in drifted:
                    item.setText(0, f"{part}   {drifted[sofar]}")
                    tint_branch(item, 0, "ochre")
                above.addChild(item)
            above = items[sofar]
    tree.expandAll()
