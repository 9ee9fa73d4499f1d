"""The Join bench: how two shots meet, what is proposed, and a loop around the cut."""

from dataclasses import replace

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from clevrin.core.document import Area, Project, Shot, Take
from clevrin.core.document.edits import JoinShots
from clevrin.core.document.joining import PLAIN, WHIP
from clevrin.core.document.joining import Setting as Value
from clevrin.core.errors import ClevrinError
from clevrin.core.join import Proposal, joined
from clevrin.core.join.balancing import Balance, is_balanced
from clevrin.core.join.between import OnScreen, made_join, on_screen, what_is_short
from clevrin.core.join.kinds import KINDS, Kind, kind_of
from clevrin.core.join.meeting import Meeting as RampMeeting
from clevrin.core.join.meeting import with_ramps
from clevrin.core.pace import placed_shots
from clevrin.core.render.planning.shot_map import fitted_size
from clevrin.desk.areas.stage import AreaStage
from clevrin.desk.background.ridge_store import RidgeStore
from clevrin.desk.bench.bench import Bench, Showing, bench_column, bench_row
from clevrin.desk.bench.context import Context
from clevrin.desk.join.drag_handles import JoinHand
from clevrin.desk.join.edits import JoinEdits
from clevrin.desk.join.meeting import Meeting
from clevrin.desk.join.named import with_its_side
from clevrin.desk.join.page import chosen_pair
from clevrin.desk.join.proposals import ProposalTable
from clevrin.desk.join.ranking import PairRanking
from clevrin.desk.join.sheet import JoinSheet
from clevrin.desk.join.strips import Strips
from clevrin.desk.join.ways import Ways
from clevrin.desk.join.words import agreement_words
from clevrin.desk.playback.programmes import OVERLAID, join_programme, overlaid_programme, reel_plans
from clevrin.desk.widgets.sheet import keep_room, quiet_label
from clevrin.desk.widgets.viewer import Viewer

_AROUND_S = 0.6


class JoinBench(Bench):
    """Joins the chosen shot to the next one (or the last but one to the last)."""

    sheet: JoinSheet

    def __init__(self, context: Context, ridges: RidgeStore) -> None:
        super().__init__(context)
        self._trying: Proposal | None = None
        row = bench_row(self)
        column = bench_column(8)
        self.strips = Strips(context, ridges)
        self.table = ProposalTable()
        self.table.proposal_chosen.connect(self._on_table_proposal_chosen)
        self.edits = JoinEdits(context)
        known = context.known_moves
        self.ranking = PairRanking(context, known, self)
        self.ranking.said.connect(self._say)
        self.ranking.ranked.connect(self._on_ranking_ranked)
        self.ways = Ways(context, known, self)
        self.ways.changing.connect(self._on_ways_changing)
        self.ways.changed.connect(self._on_ways_changed)
        self.ways.tried_changed.connect(self._on_ways_tried_changed)
        self.ways.take_changed.connect(self._show_page)
        self.ways.line_chosen.connect(self._play)
        column.addWidget(self.ways.buttons)
        column.addWidget(self.strips, 4)
        self.finding_note = quiet_label("")
        keep_room(self.finding_note)
        self.ways.add_to(column)
        self.viewer = Viewer()
        self.viewer.setMinimumSize(160, 90)
        beside = QHBoxLayout()
        beside.setSpacing(8)
        beside.addWidget(self.viewer, 4)
        self.listed = QWidget()
        listed = QVBoxLayout(self.listed)
        listed.setContentsMargins(0, 0, 0, 0)
        listed.addWidget(self.finding_note)
        listed.addWidget(self.table, 1)
        beside.addWidget(self.listed, 3)
        column.addLayout(beside, 5)
        row.addLayout(column, 1)
        row.addWidget(self._make_sheet())
        column.addWidget(self.areas.lanes)
        self._rank_soon = QTimer(self, singleShot=True, interval=120)
        self._rank_soon.timeout.connect(self._rank)

    def _on_ways_changing(self) -> None:
        if self.ways.page is not None:
            self.strips.hide()
            self.listed.hide()

    def _on_ways_changed(self) -> None:
        self.trying = None
        self._subject = None
        self.refresh()
        self.reload()
        self.take_focus()

    def _on_ways_tried_changed(self) -> None:
        if self.entered:
            self._show_page()
            self.reload()

    def _play(self) -> None:
        """What is chosen is tried in a loop."""
        if self.entered and not self.context.player.playing:
            self.context.player.play()

    def _make_sheet(self) -> JoinSheet:
        sheet = self.sheet = JoinSheet(self.context)
        self.transport, self.trouble = sheet.transport, sheet.trouble
        self.loop, self.over, self.kind, self.dissolve = sheet.loop, sheet.over, sheet.kind, sheet.dissolve
        self.settings, self.sound = sheet.settings, sheet.sound
        self.laying, self.covering = sheet.laying, sheet.covering
        self.balance_button, self.ramps_button = sheet.balance_button, sheet.ramps_button
        self.take_button = sheet.take_button
        self.loop.chosen.connect(self._on_loop_chosen)
        self.over.chosen.connect(lambda _: self.reload())
        self.kind.chosen.connect(self._on_kind_chosen)
        self.dissolve.value_changing.connect(self._on_dissolve_value_changing)
        for part in (self.settings, self.sound):
            part.setting_changing.connect(self._on_setting_changing)
        self.hand = JoinHand(self._change_settings, self.context.session.end_gesture)
        self.viewer.set_overlay(self.hand)
        self.areas = AreaStage(self.context, self.viewer, self._offered, self._on_area_made)
        self.areas.changed.connect(self._on_areas_changed)
        self.balance_button.clicked.connect(self._on_balance_clicked)
        self.ramps_button.toggled.connect(self._on_ramps_toggled)
        self.ranking.failed.connect(self.trouble.tell)
        self.take_button.clicked.connect(self.take_proposal)
        self.ways.add_controls_to(sheet)
        sheet.add_stretch()
        sheet.set_foot(self.take_button)
        return sheet

    # What is joined

    @property
    def pair(self) -> tuple[Shot, Shot] | None:
        """The two shots whose join is looked at, as they are on the reel."""
        return chosen_pair(self.context.session)

    @property
    def trying(self) -> Proposal | None:
        """One of the proposals for the pair as it is; None where what was tried was proposed for another one."""
        return self._trying if self.ranking.is_of(self.pair) else None

    @trying.setter
    def trying(self, proposal: Proposal | None) -> None:
        self._trying = proposal

    def _tried(self) -> tuple[Project, Shot, Shot] | None:
        """The project, and the two shots in it, with what is being tried."""
        tried = None if self.ways.page is None else self.ways.page.tried()
        if tried is not None:
            return tried.project, tried.outgoing, tried.incoming
        pair = self.pair
        if pair is None:
            return None
        project = self.context.session.project
        if self.trying is None:
            return project, *pair
        outgoing, incoming = joined(*pair, self.trying, self._lengths(pair), int(self.dissolve.number))
        if self.ramps_button.isChecked():
            (outgoing, incoming), _ = self._ramped(outgoing, incoming)
        return JoinShots(outgoing=outgoing, incoming=incoming).apply(project), outgoing, incoming

    def _lengths(self, pair: tuple[Shot, Shot]) -> tuple[int, int]:
        """How many frames the takes of two shots have."""
        outgoing, incoming = (self.context.session.project.take(shot.take_id).facts.frames for shot in pair)
        return outgoing, incoming

    def _ramped(self, outgoing: Shot, incoming: Shot) -> tuple[tuple[Shot, Shot], RampMeeting | None]:
        """The two shots with ramps that meet at the cut as they are held and framed, as far as they are measured."""
        project, measurements = self.context.session.project, self.context.measurements
        shots = outgoing, incoming
        takes = project.take(outgoing.take_id), project.take(incoming.take_id)
        left, right = (measurements.trace(take) for take in takes)
        if left is None or right is None:
            return shots, None
        paths = [measurements.held_before(shot) for shot in shots]
        kept = [
            1.0 if path is None else path.kept_at(frame)
            for path, frame in zip(paths, (outgoing.last_shown, incoming.first_shown), strict=True)
        ]
        enlarged = 1 / max(kept[0], 1e-3), 1 / max(kept[1], 1e-3)
        return with_ramps(shots, takes, (left, right), project.reel.rate, enlarged)

    def showing(self) -> Showing | None:
        areas = self.areas.showing()
        if areas is not None:
            self.context.preparing.stop()
            self.sheet.loop_note.setText(f"{self.areas.name} as it was shot")
            return areas
        tried = self._tried()
        if tried is None:
            return None
        project, outgoing, incoming = tried
        around = max(4, round(_AROUND_S * float(project.reel.rate)))
        preparing = self.context.preparing
        room = self.viewer.wanted_size
        if self.over.key == "no":
            programme = join_programme(
                project, outgoing.id, room, around, preparing.making, self.context.measurements.course_of(project)
            )
        else:
            how = OVERLAID[self.over.key]
            programme = overlaid_programme(project, outgoing.id, room, around, how)
        slower = int(self.loop.key)
        if slower > 1:  # what is looked at slowly is not listened to
            programme = replace(programme, rate=programme.rate / slower, sound=None)
        reel, at = project.reel, project.shot_index(outgoing.id)
        size = fitted_size(reel.size, self.viewer.wanted_size)
        plans = reel_plans(project, size, programme.first, programme.end)
        about = reel.shots[max(0, at - 1) : at + 3], reel.over, project.takes, reel.rate, size, programme.first
        preparing.want(plans, about, programme.first)
        self.sheet.loop_note.setText(f"loop of {programme.end - programme.first} frames round the cut")
        subject = self.ways.page, outgoing.id, incoming.take_id, self.trying, self.ramps_button.isChecked()
        return Showing(programme=programme, subject=subject, frame=programme.first)

    def viewers(self) -> tuple[Viewer, ...]:
        return (self.viewer,)

    def seek_reel(self, frame: int) -> None:
        """Looks at a frame of the reel, as far as it is in the loop round the cut."""
        programme = self.context.player.programme
        inside = programme is not None and programme.first <= frame < programme.end
        if inside and not self.areas.active:
            self.context.player.seek(frame, scrubbing=True)

    def enter(self) -> None:
        self._drop_what_is_stale()  # meanwhile another pair may have been chosen
        super().enter()

    def leave(self) -> None:
        super().leave()
        self.context.preparing.stop()

    def take_focus(self) -> None:
        (self.table if self.ways.page is None else self.ways.page.chooser).setFocus()

    def take_what_is_proposed(self) -> None:
        self.take_proposal()

    def document_changed(self) -> None:
        self._drop_what_is_stale()
        self.trying = None
        super().document_changed()

    def selection_changed(self) -> None:
        self._drop_what_is_stale()
        self.trying = None
        super().selection_changed()

    def show_frame(self, frame: int, pictures: tuple) -> None:
        if self.areas.show_frame(frame, pictures, self.transport):
            return
        self.viewer.show_pixels(*pictures)
        programme = self.context.player.programme
        if programme is not None:
            self.transport.show_frame(
                frame - programme.first, programme.end - programme.first, float(programme.rate), offset=programme.first
            )
        self.context.session.move_playhead(frame)

    def show_trouble(self, sentence: str) -> None:
        self.trouble.tell(sentence)

    def refresh(self) -> None:
        pair = self.pair
        page = self.ways.page
        about_a_cut = self.ways.about_the_cut
        self.strips.setVisible(page is None)
        for part in self.sheet.of_the_cut:
            part.setVisible(about_a_cut)
        for row in (self.laying, self.covering):
            row.show_pair(pair if about_a_cut else None)
        if page is not None:
            page.refresh()
            self._show_page()
            if not about_a_cut:
                return
        self.sheet.setEnabled(pair is not None)
        if pair is None:
            words = "A join needs two shots on the reel. In Log, put the spans of two takes on it."
            self.strips.show_meeting(None, words)
            self.viewer.show_words("")
            self.table.show_proposals(())
            self.sheet.set_about("")
            return
        outgoing = pair[0]
        takes = [self.context.session.project.take(shot.take_id) for shot in pair]
        self.sheet.set_about(f"{takes[0].name} → {takes[1].name}")
        self.kind.set_chosen(outgoing.leave.kind)
        self._show_kind(outgoing)
        if self.trying is None:
            self.dissolve.set_number(outgoing.leave.dissolve_frames)
        self._rank_soon.start()
        self._show_tried()

    def _show_page(self) -> None:
        """What the page that is looked at tries and can take."""
        page = self.ways.page
        if page is None:
            return
        self.listed.hide()
        self.sheet.setEnabled(True)
        self.take_button.setText(page.take_words)
        self.take_button.setEnabled(page.can_take)
        if page.about_cuts_of_the_reel:
            return
        self._show_pairs(None)
        self.hand.show_values({}, None)
        tried = page.tried()
        if tried is None:
            self.sheet.set_about("")
            self.viewer.show_words("")
            return
        names = (tried.project.take(shot.take_id).name for shot in (tried.outgoing, tried.incoming))
        self.sheet.set_about(" → ".join(names))

    def _show_tried(self) -> None:
        tried = self._tried()
        if tried is None:
            return
        project, outgoing, incoming = tried
        self.strips.show_meeting(
            Meeting(
                project=project,
                outgoing=outgoing,
                outgoing_take=project.take(outgoing.take_id),
                incoming=incoming,
                incoming_take=project.take(incoming.take_id),
                reel_size=project.reel.size,
                made=self._made_speeds(project, outgoing),
            )
        )
        self.sheet.agreement.setText(self._agreement_words(project, outgoing))
        self._show_ramps(outgoing, incoming)

    def _show_kind(self, outgoing: Shot) -> None:
        """The settings of the join as it is, and what of them is dragged in the picture."""
        project, leave = self.context.session.project, outgoing.leave
        row, number = placed_shots(project), project.shot_index(outgoing.id)
        made = made_join(row, number, project.reel.aspect, self.context.measurements.course_of(project))
        self.settings.show_join(leave)
        self.sound.show_join(leave)
        self.balance_button.setChecked(is_balanced(leave))
        self._show_pairs(kind_of(leave))
        auto_deg = None if made is None else made.own_direction_deg
        self.hand.show_values({} if made is None else dict(made.values), auto_deg)
        self.viewer.update()
        self.sheet.short.setText("" if made is None else "\n".join(what_is_short(row, number, made)))

    def _on_setting_changing(self, name: str, value: Value, gesture: str) -> None:
        self._change_settings(with_its_side(self.context.session, name, value), gesture)

    def _made_speeds(self, project: Project, outgoing: Shot) -> OnScreen | None:
        """How fast the picture moves with what a join makes of it; None where it makes nothing."""
        row, number, course_of = (
            placed_shots(project),
            project.shot_index(outgoing.id),
            self.context.measurements.course_of(project),
        )
        made = made_join(row, number, project.reel.aspect, course_of)
        return None if made is None else on_screen(row, number, made, course_of)

    def _show_pairs(self, kind: Kind | None) -> None:
        """A made move needs no pairs of frames, nor does what a page tries: the picture has their room."""
        needless = self.ways.page is not None or (kind is not None and kind.long) or self.areas.active
        self.listed.setVisible(not needless)

    def _show_ramps(self, outgoing: Shot, incoming: Shot) -> None:
        """At which speeds both sides would meet."""
        _, found = self._ramped(outgoing, incoming)
        self.ramps_button.setEnabled(found is not None)
        self.sheet.ramps_note.setText("" if found is None else found.words)
        if self.ways.page is not None:
            return
        self.take_button.setEnabled(self.trying is not None)
        self.take_button.setText(
            "Take this join   Enter" if self.trying is not None or not self.table.proposals else "This join is taken"
        )

    def _agreement_words(self, project: Project, outgoing: Shot) -> str:
        row, index = placed_shots(project), project.shot_index(outgoing.id)
        before, after = row[index], row[index + 1]
        trace = self.context.measurements.trace
        return agreement_words(before, after, (trace(before.take), trace(after.take)))

    # Areas

    def _offered(self) -> tuple[tuple[Take, int], ...]:
        """The takes of the cut, at the frames that meet there."""
        pair, project = self.pair, self.context.session.project
        if pair is None or self.ways.page is not None:
            return ()
        frames = pair[0].last_shown, pair[1].first_shown
        return tuple((project.take(shot.take_id), frame) for shot, frame in zip(pair, frames, strict=True))

    def _on_area_made(self, area: Area) -> None:
        """A join that goes by an area goes by the one that is made for it, where it has none."""
        pair = self.pair
        if pair is None or pair[0].leave.given.get("area"):
            return
        if any(each.id == "area" for each in kind_of(pair[0].leave).settings):
            self._on_setting_changing("area", area.id, "")

    def _on_areas_changed(self) -> None:
        self.refresh()
        self.reload()

    # Ranking

    def _rank(self) -> None:
        """Starts ranking the pairs of the two takes, unless that is what is shown already."""
        pair = self.pair
        if pair is not None and self.entered and self.ways.page is None:
            self.ranking.rank(pair)

    def _on_ranking_ranked(self, proposals: tuple[Proposal, ...]) -> None:
        self.trouble.hide()
        self.table.show_proposals(proposals, self._is_taken)
        self._try_first(proposals)

    def _drop_what_is_stale(self) -> None:
        """Forgets proposals that were made for another pair, or for this one as it was."""
        if self.ranking.drop_unless(self.pair):
            self.trying = None
            self.table.show_proposals(())

    def _say(self, words: str) -> None:
        """Words where the proposals would be."""
        self.finding_note.setText(words)
        self.finding_note.setVisible(bool(words))

    def _try_first(self, proposals: tuple[Proposal, ...]) -> None:
        """Tries the best proposal, unless the shots on the reel are joined already."""
        pair = self.pair
        if proposals and pair is not None and pair[0].leave.kind == PLAIN:
            self._on_table_proposal_chosen(proposals[0])
            return
        self.trying = None
        self.table.clearSelection()
        self._show_tried()
        self.reload()

    def _is_taken(self, proposal: Proposal) -> bool:
        """Whether the shots on the reel meet as a proposal says."""
        pair = self.pair
        if pair is None:
            return False
        met = joined(*pair, proposal, self._lengths(pair))
        return all(
            (now.span, now.reverse, now.mirror, now.turns) == (then.span, then.reverse, then.mirror, then.turns)
            for now, then in zip(pair, met, strict=True)
        )

    # What the user does

    def take_proposal(self) -> None:
        """Takes what is tried: cuts both shots as the proposal says, or what the page that is looked at has."""
        if self.ways.page is not None:
            if self.ways.page.can_take:
                self.ways.page.take()
            return
        tried = self._tried()
        if tried is None or self.trying is None:
            return
        _, outgoing, incoming = tried
        self.trying = None
        self.context.session.do(JoinShots(outgoing=outgoing, incoming=incoming))
        self.table.clearSelection()

    def _on_ramps_toggled(self, on: bool) -> None:
        pair = self.pair
        if self.trying is None and on and pair is not None:  # on the join as it is on the reel
            self.ramps_button.setChecked(False)
            (outgoing, incoming), _ = self._ramped(*pair)
            self.context.session.do(JoinShots(outgoing=outgoing, incoming=incoming, label="Ramps that meet"))
            return
        self._show_tried()
        self.reload()

    def _on_table_proposal_chosen(self, proposal: Proposal) -> None:
        if self.trying is None and self.pair is not None and self.dissolve.number == 0:
            self.dissolve.set_number(2)
        self.trying = proposal
        self._show_tried()
        self.reload()
        self._play()

    def _on_loop_chosen(self) -> None:
        self.reload()
        self._play()

    def _on_kind_chosen(self, kind: str) -> None:
        pair = self.pair
        if pair is None:
            return
        if kind == WHIP:
            if self.trying is None and self.table.proposals:
                self.table.selectRow(0)
            if self.trying is not None:
                self.take_proposal()
                return
            self.trouble.tell(f"No moves of these two takes agree: this stays a {pair[0].leave.kind}.")
            self.kind.set_chosen(pair[0].leave.kind)
            return
        self.trying = None
        self.edits.make(pair[0], kind)
        if kind != PLAIN:
            self._play()

    def choose_neighbour_kind(self, way: int) -> None:
        """The next kind of join, or the one before."""
        pair = self.pair if self.ways.about_the_cut else None
        if pair is not None:
            names = list(KINDS)
            at = names.index(pair[0].leave.kind) if pair[0].leave.kind in names else 0
            for step in range(1, len(names)):
                kind = names[(at + way * step) % len(names)]
                if kind != WHIP or self.table.proposals:  # without whips that agree there is no such cut
                    self._on_kind_chosen(kind)
                    return

    def _change_settings(self, changed: dict[str, Value], gesture: str = "") -> None:
        """Changes settings of the join as it is on the reel."""
        pair = self.pair
        if pair is None:
            return
        try:
            self.edits.set_values(pair[0], changed, gesture)
        except ClevrinError as error:
            self.trouble.tell(str(error))

    def _on_balance_clicked(self, on: bool) -> None:
        pair = self.pair
        if pair is None:
            return
        if not on:
            self.edits.leave_colours_alone(pair[0])
            return

        def done(found: Balance) -> None:
            self.balance_button.setChecked(is_balanced(pair[0].leave) or found.frames > 0)

        self.edits.balance_colours(pair, lambda: self.pair == pair, done, self.trouble.tell)

    def _on_dissolve_value_changing(self, frames: float) -> None:
        pair = self.pair
        if pair is None:
            return
        if self.trying is not None:
            self._show_tried()
            self.reload()
            return
        self.edits.dissolve(pair[0], int(frames))

    def put_setting(self, name: str, value: Value) -> None:
        """Sets something of the chosen cut's join; says so where its kind has no such setting."""
        pair = chosen_pair(self.context.session)
        if pair is None:
            return
        if all(each.id != name for each in kind_of(pair[0].leave).settings):
            self.context.notices.trouble(f"A {pair[0].leave.kind} has no such setting.")
            return
        try:
            self.edits.set_values(pair[0], {name: value})
        except ClevrinError as error:
            self.context.notices.trouble(str(error))

    def dissolve_over(self, frames: int) -> None:
        """Lays so many frames of a dissolve over the chosen cut's join."""
        pair = chosen_pair(self.context.session)
        if pair is not None:
            self.edits.dissolve(pair[0], frames)
            self.context.session.end_gesture()

    @property
    def can_join(self) -> bool:
        """Whether there is a cut."""
        return chosen_pair(self.context.session) is not None

    def join_by(self, kind: str, length: float | None) -> None:
        """Joins the chosen cut by a kind, lasting so many frames where that is said."""
        pair = chosen_pair(self.context.session)
        if pair is not None:
            lasts = length is not None and any(each.id == "length" for each in KINDS[kind].settings)
            self.edits.make(pair[0], kind, **({"length": length} if lasts and length is not None else {}))
