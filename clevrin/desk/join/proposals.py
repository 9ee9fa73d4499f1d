"""The ranked list of proposals: one line each, with the reasons in figures."""

from collections.abc import Callable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QWidget

from clevrin.core.join import Proposal
from clevrin.desk.join.figure_table import FigureTable, Line

COLUMNS = ("match", "out", "in", "why")
_WHY = 3


class ProposalTable(FigureTable):
    """Up and down preview a proposal."""

    proposal_chosen = Signal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__("Proposals", COLUMNS, wide=(_WHY,), parent=parent)
        self._proposals: tuple[Proposal, ...] = ()
        self.line_chosen.connect(lambda row: self.proposal_chosen.emit(self._proposals[row]))

    @property
    def proposals(self) -> tuple[Proposal, ...]:
        return self._proposals

    @property
    def chosen(self) -> Proposal | None:
        return None if self.chosen_line is None else self._proposals[self.chosen_line]

    def show_proposals(
        self, proposals: tuple[Proposal, ...], is_taken: Callable[[Proposal], bool] = lambda _: False
    ) -> None:
        """Fills the list; the best one is chosen, and who shows them says what becomes of it."""
        self._proposals = proposals
        self.show_lines(
            (Line(words=cells(each, is_taken(each)), rank=each.score, tip=in_full(each)) for each in proposals), 0
        )


def cells(p: Proposal, taken: bool = False) -> tuple[str, ...]:
    """The words of a line: first whether it is so on the reel and what is turned round, then the figures."""
    why = [*(["taken"] if taken else []), *p.turned_round, *([] if p.move == "whip" else [p.move]), *_figures(p)]
    few = ["leaves little"] if p.short_s is not None else []
    return f"{p.score:.0f}", str(p.out_frame), str(p.in_frame), " · ".join([*why, *few])


def in_full(p: Proposal) -> str:
    """All that is known of a proposal, a line each."""
    return "\n".join(
        (
            f"direction: {p.direction_diff_deg:.0f}° apart" if p.move == "whip" else f"both: {p.move}",
            f"speed of the next one: × {p.speed_ratio:.2f}",
            f"its blur: × {p.blur_ratio:.2f}",
            f"colours: ΔE {p.colour_delta_e:.0f}",
            f"it lies: {laid(p)}",
            f"they play: {p.backward or 'forward'}",
            *(["writing would be seen backward"] if p.mirror is not None else []),
            *(["who walks would walk backward"] if p.backward else []),
            f"what is left of both: {p.out_left_s:.1f} and {p.in_left_s:.1f} s",
        )
    )


def laid(p: Proposal) -> str:
    """How the incoming picture lies, in words."""
    mirrored = {None: "", "horizontal": "across", "vertical": "vertical", "both": "both ways"}[p.mirror]
    turned = f"{90 * p.turns}°" if p.turns else ""
    return f"{turned} {mirrored}".strip() or "–"


def in_short(p: Proposal) -> str:
    """A proposal in a few words."""
    return " · ".join((p.move, *_figures(p), *p.turned_round))


def _figures(p: Proposal) -> list[str]:
    colours = f"ΔE {p.colour_delta_e:.0f}"
    return [f"{p.direction_diff_deg:.0f}°", f"× {p.speed_ratio:.2f}", colours] if p.move == "whip" else [colours]
