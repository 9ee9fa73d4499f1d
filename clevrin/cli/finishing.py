"""Commands that deliver a reel: rendered, mixed, handed on."""

from contextlib import ExitStack
from datetime import date
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from clevrin.cli.one_take import size_of
from clevrin.cli.options import Json, Out, choices, within
from clevrin.cli.terminal import print_json, print_line, shown
from clevrin.core.document import Project
from clevrin.core.document.files import load
from clevrin.core.errors import ClevrinError
from clevrin.core.media.formats import FORMATS, Purpose
from clevrin.core.outputs import check_output, write_text

if TYPE_CHECKING:
    from clevrin.core.render.export.remote_door import Certificates

    FormatName = str
else:  # the table of formats says which there are
    FormatName = choices("FormatName", FORMATS)
ProjectFile = Annotated[Path, typer.Argument(help="A project.", show_default=False)]
OutputName = Annotated[str | None, typer.Option(help="The name of an output of the project; none: the reel.")]
Lufs = Annotated[
    float | None,
    typer.Option("--loudness", help="How loud the sound is to be, in LUFS.", parser=within(-60, 0)),
]


def render(
    project: ProjectFile,
    out: Out,
    size: Annotated[str | None, typer.Option(help="Width and height in pixels, as 1920x1080.")] = None,
    output: OutputName = None,
    format: Annotated[FormatName | None, typer.Option(help="The format; none: as the name says.")] = None,
    quality: Annotated[
        Purpose | None, typer.Option(help="Good for what: to look at, the net, editing further, or without loss.")
    ] = None,
    option: Annotated[
        list[str] | None, typer.Option(help="An option of the encoder instead, NAME=VALUE, as crf=20.")
    ] = None,
    range: Annotated[str | None, typer.Option(help="A part of the reel, A:B: its frames from A up to B.")] = None,
    loudness: Lufs = None,
    resume: Annotated[
        bool, typer.Option("--resume", help="Use what an earlier render to this place left, as far as it is the same.")
    ] = False,
    on: Annotated[
        str | None, typer.Option(help="Have segments made on a scheduler's workers, as tcp://HOST:8786 (Dask).")
    ] = None,
    tls_ca: Annotated[Path | None, typer.Option(help="For tls:// addresses: the authority that is trusted.")] = None,
    tls_cert: Annotated[Path | None, typer.Option(help="For tls:// addresses: the certificate of this side.")] = None,
    tls_key: Annotated[Path | None, typer.Option(help="For tls:// addresses: the key of that certificate.")] = None,
    root: Annotated[
        Path | None, typer.Option(help="The folder under which media lie here; workers name theirs in CLEVRIN_ROOT.")
    ] = None,
    report: Annotated[
        Path | None, typer.Option("--report", help="Write a report of the reel as well: .html or .pdf.")
    ] = None,
) -> None:
    """Renders the reel of a project, or one of its outputs; pictures into a folder, or the sound alone as well.

    The name may have {project}, {output}, {size}, {format}, {part} and {date} in it.
    """
    from clevrin.core.render.export.export import ExportRequest, export_reel
    from clevrin.core.render.export.output_names import with_fields
    from clevrin.core.render.sources import Sources

    wanted = None if size is None else size_of(size)  # what is typed wrong is told before anything is read
    given, span = tuple(_option(each) for each in option or ()), None if range is None else _range(range)
    if report is not None:
        _check_report(report, [project, out])
    request = ExportRequest(
        project=_loaded(project, out, output),
        path=out,
        size=wanted,
        kind=None if format is None else str(format),
        purpose=quality,
        given=given,
        span=span,
        lufs=loudness,
        resume=resume,
    )
    request = with_fields(request, output, date.today())
    out = request.path
    troubles: set[str] = set()
    with ExitStack() as stack:
        sources, machines = stack.enter_context(Sources.of()), None
        if on is not None:
            from clevrin.core.render.export.remote import Machines
            from clevrin.core.render.export.remote_door import warning

            certificates = _certificates(tls_ca, tls_cert, tls_key)
            told = warning(on) if certificates is None else None
            if told is not None:
                print_line(told)
            machines = stack.enter_context(Machines(on, root, certificates))
            with shown("Measuring") as progress:
                machines.prepare(request.project, progress)
                machines.measure(request.project, sources.measured, progress)
        with shown(f"Rendering {out.name}") as progress:
            export_reel(request, sources, progress, troubles, machines)
    for sentence in sorted(troubles):
        print_line(sentence)
    if report is not None:
        _write_report(request.project, report, project)


def mix(project: ProjectFile, out: Out, output: OutputName = None, loudness: Lufs = None, json: Json = False) -> None:
    """Writes the sound of a reel as WAV or FLAC, and says how loud it is."""
    from clevrin.core.media.formats import format_of
    from clevrin.core.media.sound_reading import sound_blocks
    from clevrin.core.render.export.export import ExportRequest, export_reel
    from clevrin.core.render.sources import Sources
    from clevrin.core.sound.loudness import loudness_of

    if format_of(out).kind != "sound":
        raise ClevrinError(f"{out.name} is no file of sound: name it .wav or .flac.")
    request = ExportRequest(project=_loaded(project, out, output), path=out, lufs=loudness)
    troubles: set[str] = set()
    with Sources.of() as sources, shown(f"Mixing {out.name}") as progress:
        export_reel(request, sources, progress, troubles)
    found = loudness_of(sound_blocks(out))
    if json:
        print_json({"lufs": found.lufs, "range_lu": found.range_lu, "peak_db": found.peak_db})
        return
    loud = "silent" if found.lufs is None else f"{found.lufs:.1f} LUFS, range {found.range_lu:.1f} LU"
    print_line(loud if found.peak_db is None else f"{loud}, true peak {found.peak_db:.1f} dB")
    for sentence in sorted(troubles):
        print_line(sentence)


def report(project: ProjectFile, out: Out, output: OutputName = None) -> None:
    """Writes a report of a reel: its pictures, shots, joins, and what is not right; HTML, or PDF as the name says."""
    _check_report(out, [project])
    _write_report(_loaded(project, out, output), out, project)


def _check_report(out: Path, inputs: list[Path]) -> None:
    if out.suffix.lower() not in (".html", ".pdf"):
        raise ClevrinError(f"{out.name} is neither a page nor a print of one: name it .html or .pdf.")
    check_output(out, inputs)


def _write_report(loaded: Project, out: Path, project: Path) -> None:
    """Writes the report of what `project`, the file, holds, and says how much there is to look at."""
    from clevrin.core.render.sources import Sources
    from clevrin.desk.files.printing import report_to

    with Sources.of() as sources, shown(f"Looking over {loaded.name}") as progress:
        marks = report_to(loaded, out, [project, *loaded.media], sources, progress)
    print_line(f"{len(marks)} things to look at" if len(marks) != 1 else "1 thing to look at")


def hand_on(
    project: Annotated[Path | None, typer.Argument(help="A project.", show_default=False)] = None,
    to: Annotated[Path | None, typer.Option("--to", help="The new folder to write.")] = None,
    output: OutputName = None,
    shots: Annotated[bool, typer.Option("--shots", help="Each shot as a film of its own.")] = False,
    handles: Annotated[int, typer.Option(help="Frames more at either end of each shot.", min=0, max=10_000)] = 0,
    as_shot: Annotated[bool, typer.Option("--as-shot", help="Shots as shot, neither held nor framed.")] = False,
    format: Annotated[FormatName | None, typer.Option(help="The format of the shots; none: ProRes 422.")] = None,
    quality: Annotated[Purpose | None, typer.Option(help="What the shots are to be good for.")] = None,
    motion: Annotated[bool, typer.Option("--motion", help="The takes' motion, and camera tables.")] = False,
    areas: Annotated[bool, typer.Option("--areas", help="The takes' areas as films of grey.")] = False,
    stills: Annotated[bool, typer.Option("--stills", help="The middle of each shot as a picture of 16 bits.")] = False,
    check: Annotated[
        Path | None, typer.Option("--check", help="Nothing is written: is this folder still as it was handed on?")
    ] = None,
) -> None:
    """Hands a reel on: its timeline and markers, and if wanted its shots, motion and areas, with checksums."""
    from clevrin.core.delivery.handing_on import HandOnRequest, hand_on
    from clevrin.core.render.sources import Sources

    if check is not None:
        _check_handed_on(check)
        return
    if project is None:
        raise typer.BadParameter("say which project is handed on", param_hint="PROJECT")
    if to is None:
        raise typer.BadParameter("say where the new folder is written", param_hint="--to")
    loaded = load(project)
    request = HandOnRequest(
        project=loaded if output is None else loaded.through(_output_named(loaded, output)),
        folder=to,
        shots=shots,
        handles=handles,
        held=not as_shot,
        kind="prores-422" if format is None else str(format),
        purpose=quality,
        motion=motion,
        areas=areas,
        stills=stills,
    )
    with Sources.of() as sources, shown(f"Handing {loaded.name} on") as progress:
        remarks = hand_on(request, sources, progress)
    for sentence in remarks:
        print_line(sentence)


def _check_handed_on(folder: Path) -> None:
    from clevrin.core.delivery.handing_on import check_handed_on

    wrong = check_handed_on(folder)
    if wrong:
        raise ClevrinError(f"{folder} is not as it was handed on: {', '.join(wrong)}.")
    print_line("all files are as they were handed on")


def batch(
    table: Annotated[Path, typer.Argument(help="A CSV: one job a row, its command and options.", show_default=False)],
    out: Annotated[Path | None, typer.Option("--out", help="A CSV of what came of each job.")] = None,
    jobs: Annotated[int, typer.Option(help="How many at once; 0: as many as the machine has room for.", min=0)] = 0,
    watch: Annotated[
        Path | None,
        typer.Option(help="A folder: the jobs are run for each film that comes; {file} and {name} stand for it."),
    ] = None,
    idle: Annotated[
        float | None,
        typer.Option(help="Seconds without a new film after which watching ends; none: never.", parser=within(0, 1e9)),
    ] = None,
) -> None:
    """Runs a table of commands, several at once, and goes on where one fails; or for each film that comes."""
    from clevrin.cli.batching import Result, check_results, films_of, read_jobs, results_csv, run_jobs, watch_folder

    found = read_jobs(table)
    if out is not None:
        check_results(out, table, found)

    def written(results: tuple[Result, ...]) -> None:
        if out is not None:
            write_text(out, results_csv(results), [table, *films_of(found)])

    if watch is not None:
        results = watch_folder(found, watch, jobs or None, print_line, written, idle)
    else:
        results = run_jobs(found, jobs or None, print_line)
    written(results)
    failed = sum(each.code != 0 for each in results)
    if failed:
        raise ClevrinError(f"{failed} of {len(results)} jobs could not be done.")


def desktop(
    install: Annotated[bool, typer.Option("--install", help="Puts Clevrin into this user's menu.")] = False,
    remove: Annotated[bool, typer.Option("--remove", help="Takes it out again.")] = False,
) -> None:
    """Puts Clevrin into the menu of this user's desktop, and opens projects by a double click; or takes it out."""
    from clevrin.cli.menu_entry import install_entry, remove_entry

    if install == remove:
        raise typer.BadParameter("name either --install or --remove", param_hint="--install / --remove")
    for path in install_entry() if install else remove_entry():
        print_line(str(path))


def _loaded(project: Path, out: Path, output: str | None) -> Project:
    if not out.is_dir():
        check_output(out, [project])
    loaded = load(project)
    return loaded if output is None else loaded.through(_output_named(loaded, output))


def _output_named(project: Project, name: str) -> str:
    found = [each.id for each in project.outputs if each.name == name]
    if not found:
        names = ", ".join(each.name for each in project.outputs) or "none beside its reel"
        raise ClevrinError(f"{project.name} has no output named {name}; it has {names}.")
    return found[0]


def _certificates(ca: Path | None, cert: Path | None, key: Path | None) -> "Certificates | None":
    from clevrin.core.render.export.remote_door import Certificates

    if ca is None and cert is None and key is None:
        return None
    if ca is None or cert is None or key is None:
        raise typer.BadParameter("--tls-ca, --tls-cert and --tls-key go together", param_hint="--tls-*")
    return Certificates(ca=ca, cert=cert, key=key)


def _option(text: str) -> tuple[str, str]:
    name, equals, value = text.partition("=")
    if not (name and equals):
        raise typer.BadParameter(f"'{text}' is not NAME=VALUE", param_hint="--option")
    return name, value


def _range(text: str) -> tuple[int, int]:
    try:
        first, end = (int(each) for each in text.split(":"))
    except ValueError as error:
        raise typer.BadParameter(f"'{text}' is not two frames A:B", param_hint="--range") from error
    return first, end
