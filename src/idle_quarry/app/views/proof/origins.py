"""What came from where: for each method, which source picture each of the next output pictures shows."""

from __future__ import annotations

from idle_quarry.app.models.proof.bench import BenchPictures
from idle_quarry.app.widgets.pictures.origin_map import BEFORE, COUNT, OriginMap, Origins
from idle_quarry.path.policies import parts


class OriginRows(OriginMap):
    """Shown where the rate or the number of moments changes; methods that show the same pictures share a row."""

    def __init__(self, model: BenchPictures) -> None:
        super().__init__()
        self.model = model
        self.hide()
        model.pictures_changed.connect(self._show)
        model.methods_changed.connect(self._show)

    def _show(self) -> None:
        model, bench = self.model, self.model.bench
        if bench is None or not model.compared.methods or bench.source.moments == bench.target.moments:
            self.show_rows([], 0)
            return
        first, part = max(0, model.index - BEFORE), parts()[model.compared.part]
        rows: dict[tuple[tuple[int, float], ...], Origins] = {}
        for method, policy in zip(model.compared.methods, model.compared.policies(), strict=True):
            cells = bench.shown_moments(policy, first, COUNT)
            name = f"{rows[cells].name}, {part[method].label}" if cells in rows else part[method].label
            rows[cells] = Origins(name, cells)
        results = list(rows.values())
        if len(results) == 1:
            results = [Origins("Shows source", results[0].cells)]
        per_frame = len(bench.conversion(model.compared.policies()[0]).origins(first))
        self.show_rows(results, (model.index - first) * per_frame)
