"""The sheet of the Join bench: how the loop is looked at, and how the join is set."""

from clevrin.core.document.joining import LONGEST_DISSOLVE, PLAIN
from clevrin.core.join.kinds import KINDS
from clevrin.desk.bench.bench import Transport
from clevrin.desk.bench.context import Context
from clevrin.desk.join.cover_row import CoverRow
from clevrin.desk.join.kind_settings import KindSettings
from clevrin.desk.join.laying_row import LayRow
from clevrin.desk.join.named import named_in
from clevrin.desk.widgets.sheet import (
    ChoiceSetting,
    OwnChoice,
    Sheet,
    SliderSetting,
    Trouble,
    plain_button,
    quiet_label,
)


class JoinSheet(Sheet):
    """Holds the controls; what they do is the bench's. `of_the_cut` are those that a cut of the reel alone has."""

    def __init__(self, context: Context) -> None:
        super().__init__("Join")
        self.transport = Transport(context, narrow=True)
        self.loop_note = quiet_label("")
        self._make_looks()
        self._make_kind(context)
        self._make_buttons()
        made = self.kind, self.settings, self.dissolve, self.balance_button, self.short
        self.of_the_cut = (*made, self.ramps_button, self.ramps_note, self.agreement, self.sound)
        self.add(self.transport, self.loop_note, self.loop, self.over)
        self.add(self.kind, self.laying, self.covering, self.settings, self.dissolve, self.balance_button)
        self.add(self.short, self.ramps_button, self.ramps_note, self.agreement, self.trouble, self.sound)

    def _make_looks(self) -> None:
        self.loop = OwnChoice(
            "Loop",
            "How fast the loop goes",
            [("1", "full", "As the reel plays"), ("2", "half", "Half as fast"), ("4", "quarter", "A quarter as fast")],
            default="1",
        )
        self.over = OwnChoice(
            "Over each other",
            "Both sides at once, each going on beyond the cut",
            [
                ("no", "no", "The reel as it is"),
                ("both", "both", "Half of either side"),
                ("difference", "difference", "Only what differs: black where both agree"),
                ("edges", "edges", "The edges of either side in its colour, light where both have them"),
            ],
            columns=2,
            default="no",
        )

    def _make_kind(self, context: Context) -> None:
        self.kind = ChoiceSetting(
            "Kind",
            "How one shot passes into the next",
            [(kind.id, kind.id, kind.help) for kind in KINDS.values()],
            columns=2,
            default=PLAIN,
        )
        self.dissolve = SliderSetting(
            "Dissolve",
            "A few frames in which both sides are mixed: hides a small step in colour",
            low=0,
            high=LONGEST_DISSOLVE,
            step=1,
            default=0,
            words=lambda v: "none" if v == 0 else f"{v:.0f} frame{'s' if v > 1 else ''}",
        )
        self.dissolve.value_changed.connect(lambda _: context.session.end_gesture())
        self.settings = KindSettings(sound=False, named=lambda what: named_in(context.session, what))
        self.sound = KindSettings(sound=True)
        self.laying, self.covering = LayRow(context), CoverRow(context)
        self.trouble = Trouble()
        for part in (self.settings, self.sound):
            part.gesture_ended.connect(context.session.end_gesture)
            part.refused.connect(self.trouble.tell)

    def _make_buttons(self) -> None:
        self.balance_button = plain_button(
            "Balance colours", "Brings the next shot's colours near to this one's at the cut, and slowly back"
        )
        self.balance_button.setCheckable(True)
        self.ramps_button = plain_button("Ramps that meet", "Both shots play so fast that the move goes on evenly")
        self.ramps_button.setCheckable(True)
        self.short, self.ramps_note, self.agreement = (quiet_label("") for _ in range(3))
        for each in (self.short, self.ramps_note, self.agreement):
            each.setWordWrap(True)
        self.take_button = plain_button("Take this join   Enter", "Cuts both shots as proposed", main=True)
