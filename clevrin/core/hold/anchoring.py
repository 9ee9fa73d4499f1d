"""Anchor: a point or a surface of the subject is kept in place, and the background moves instead."""

from dataclasses import replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from clevrin.core.document import Anchor, Hold, Span
from clevrin.core.gate.form import GateForm
from clevrin.core.hold.framing import Gates, room_for
from clevrin.core.hold.held import maps_of
from clevrin.core.hold.lock_off import within_budget
from clevrin.core.hold.path import PathProblem, cutoff_of, solve_path, steps_between
from clevrin.core.motion.geometry.models import apply
from clevrin.core.motion.trace.trace import Trace
from clevrin.core.motion.tracks.both_ways import Followed

Numbers = NDArray[np.float64]

_HALVINGS = 20
_LONGEST_GUESS_S = 2.0
"""A gap longer than this says nothing of where the subject went: the gate stays in it where it was."""


def anchored(trace: Trace, span: Span, hold: Hold, followed: Followed, form: GateForm) -> Gates:
    """The course on which what was followed stands still, or goes slowly, in the gate.

    Where it was lost the gate goes over smoothly from where it was last seen to where it is seen again, carried by
    the background's motion, and before and after it was seen the gate stays where it is. Those frames are marked as
    bridged. Where that leaves less of the picture than the hold keeps, as little motion as is needed is let in.
    """
    anchor = hold.anchor
    assert anchor is not None
    known = followed.known[span.first : span.end]
    if not known.any():
        return Gates(maps=np.repeat(np.eye(3)[None], span.frames, axis=0), bridged=~known)
    subject = _subject(followed, span, known, anchor, trace)
    if anchor.slowly:
        course = _slow(trace, span, hold, subject, form)
    else:
        maps = _kept_in_place(subject, anchor, hold, form)
        course = within_budget(trace, span, maps, hold, form) if hold.stays_inside else Gates.of(maps)
    return replace(course, bridged=~known)


def _subject(followed: Followed, span: Span, known: NDArray[np.bool_], anchor: Anchor, trace: Trace) -> Numbers:
    """Where the subject is, and how it is turned and sized against its mean: (span.frames, 4) as a, b, x, y."""
    places = followed.places[span.first : span.end] - trace.centre
    middle = places.mean(axis=1)
    turned = np.ones(len(places), complex)
    if places.shape[1] > 1 and (anchor.turn or anchor.size):
        around = places - middle[:, None]
        flat = around[..., 0] + 1j * around[..., 1]
        model = flat[np.flatnonzero(known)[0]]
        turned = flat @ model.conj() / (np.abs(model) ** 2).sum()
        turned = turned / np.exp(np.mean(np.log(turned[known])))
        if not anchor.size:
            turned = turned / np.abs(turned)
        if not anchor.turn:
            turned = np.abs(turned).astype(complex)
    rows = np.column_stack([turned.real, turned.imag, middle])
    return _bridged(rows, known, span, trace)


def _bridged(rows: Numbers, known: NDArray[np.bool_], span: Span, trace: Trace) -> Numbers:
    rows = rows.copy()
    at = np.flatnonzero(known)
    rows[: at[0]], rows[at[-1] + 1 :] = rows[at[0]], rows[at[-1]]
    for before, after in pairwise(at):
        gap = after - before
        if gap == 1:
            continue
        share = (np.arange(1, gap) / gap)[:, None]
        eased = share**2 * (3 - 2 * share)
        plain = (1 - eased) * rows[before] + eased * rows[after]
        if gap <= _LONGEST_GUESS_S * float(trace.rate):
            forward, backward = rows[before].copy(), rows[after].copy()
            there, back = [], []
            for k in range(before + 1, after):
                forward[2:] = apply(trace.about_centre[span.first + k], forward[None, 2:])[0]
                there.append(forward[2:].copy())
            for k in range(after - 1, before, -1):
                backward[2:] = apply(np.linalg.inv(trace.about_centre[span.first + k + 1]), backward[None, 2:])[0]
                back.append(backward[2:].copy())
            plain[:, 2:] = (1 - eased) * np.array(there) + eased * np.array(back[::-1])
        rows[before + 1 : after] = plain
    return rows


def _kept_in_place(subject: Numbers, anchor: Anchor, hold: Hold, form: GateForm) -> Numbers:
    """Maps (n, 3, 3) of gates as large as the picture, in which the subject stands at one place."""
    turned = maps_of(np.column_stack([subject[:, :2], np.zeros_like(subject[:, 2:])]))
    if anchor.place is None:
        return _around(turned, subject, subject[:, 2:].mean(axis=0))
    in_gate = (np.array(anchor.place) - 0.5) * 2 * form.half
    if not hold.stays_inside:
        return _around(turned, subject, in_gate)
    # The smaller the gate, the nearer the subject is to its middle: the largest gate that fits is sought.
    corners, limits = form.corners, form.limits
    low, high = 0.0, 1.0
    for _ in range(_HALVINGS):
        size = (low + high) / 2
        at = (size * (corners - in_gate)) @ turned[:, :2, :2].transpose(0, 2, 1) + subject[:, None, 2:]
        inside = (np.abs(at) <= limits).all()
        low, high = (size, high) if inside else (low, size)
    size = max(low, hold.keep)
    return _around(turned, subject, in_gate * size)


def _around(turned: Numbers, subject: Numbers, place: Numbers) -> Numbers:
    """Gates in which the subject is at `place` (2,) about their middle."""
    maps = turned.copy()
    maps[:, :2, 2] = subject[:, 2:] - turned[:, :2, :2] @ place
    return maps


def _slow(trace: Trace, span: Span, hold: Hold, subject: Numbers, form: GateForm) -> Gates:
    """Gates in which the subject's own path is as slow as the settle says."""
    gate, limits = room_for(form, hold)
    path = solve_path(
        PathProblem(
            motions=steps_between(subject),
            gate=gate,
            fast=np.zeros(span.frames, bool),
            demand=np.ones(span.frames),
            order=3,
            cutoff=cutoff_of(hold.settle_s, float(trace.rate)),
            limits=limits,
            posed=form.posed,
        )
    )
    return Gates.of(maps_of(path.corrections), bound=path.bound)
