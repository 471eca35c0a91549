"""What an earlier run left, offered when the window opens: unsaved work first, then what was cut off in other
folders.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from idle_quarry import recovery
from idle_quarry.app.desk import Desk
from idle_quarry.counting import counted

if TYPE_CHECKING:
    from idle_quarry.recovery import Leftover


def welcome_back(desk: Desk) -> None:
    """Offer unsaved work to be resumed; where there is none, what was left half made."""
    drafts = desk.documents.unfinished()
    if not drafts:
        offer_left_over(desk)
        return
    draft = drafts[0]

    def take_up() -> None:
        if draft.template_id is None:
            desk.documents.open_new(draft.template, draft.key)
        else:
            desk.open_stored(draft.template_id)
        offer_left_over(desk)

    more = f" and {len(drafts) - 1} more" if len(drafts) > 1 else ""
    desk.say(f"Unsaved work on {draft.template.name}{more} was kept.", action=("Resume", take_up))


def offer_left_over(desk: Desk) -> None:
    """Look, off the interface thread, for what killed programs left; offer to list whole jobs, then to clear parts."""
    if not recovery.left():
        return
    from idle_quarry.jobs.left_over import is_whole, left_over

    library = desk.library

    def offer(leftovers: list[Leftover]) -> None:
        whole = [leftover for leftover in leftovers if is_whole(leftover)]
        if whole:
            _offer_to_list(desk, whole[0])
        elif leftovers:
            _offer_to_clear(desk, leftovers)

    desk.workers.start(lambda _ticket: left_over(library), offer, desk.refuse)


def _offer_to_list(desk: Desk, one: Leftover) -> None:
    from idle_quarry.jobs.left_over import take_up, words_of

    def listed(_record: object) -> None:
        desk.jobs_changed.emit()
        desk.say(f"{one.target.name} is listed.")
        offer_left_over(desk)

    def list_it() -> None:
        desk.write(lambda library: take_up(library, one), listed, desk.refuse)

    desk.say(f"{words_of(one)}: the program was ended before. It is whole.", action=("List it", list_it))


def _offer_to_clear(desk: Desk, leftovers: Sequence[Leftover]) -> None:
    from idle_quarry.jobs.left_over import words_of

    def cleared(count: int) -> None:
        desk.say(f"Cleared {counted(count, 'part')}; what was whole is as it was.")

    def clear(_ticket: object) -> int:
        for leftover in leftovers:
            recovery.clear(leftover)
        return len(leftovers)

    first = words_of(leftovers[0])
    rest = f" (and {len(leftovers) - 1} more)" if len(leftovers) > 1 else ""
    size = sum(leftover.bytes for leftover in leftovers) / 1e6
    where = leftovers[0].part.parent
    desk.say(
        f"{first[0].upper()}{first[1:]}{rest}: {size:.0f} MB lie hidden in {where}.",
        action=(
            "Clear it" if len(leftovers) == 1 else "Clear them",
            lambda: desk.workers.start(clear, cleared, desk.refuse),
        ),
    )
