"""The commands that need no window (Typer)."""

from __future__ import annotations

import dataclasses
import json
import os
import subprocess
import sys
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from unitone import __version__
from unitone.cli import _doctor, _figures, _practice, _recipes, _wires
from unitone.cli.workspace import folder_of, make_demo, open_workspace, place_of
from unitone.errors import BenchError, EntryError, SheetError, SignalError, UnitoneError
from unitone.sheet.model.sheet import Sheet
from unitone.words import LANGUAGES

if TYPE_CHECKING:
    from unitone.store.moving import Moved

app = typer.Typer(
    name="unitone",
    help="The alignment bench of a radio technician. Without a command: open the window.",
    no_args_is_help=False,
    add_completion=False,
    context_settings={"help_option_names": ["-h", "--help"]},
)
sheet_app = typer.Typer(help="Check sheets and list them.", no_args_is_help=True)
app.add_typer(sheet_app, name="sheet")

Json = Annotated[bool, typer.Option("--json", help="Print one JSON object and nothing else.")]
_workspace = ""
_figures.register(app, lambda: _workspace)
_recipes.register(app, lambda: _workspace)
_wires.register(app, lambda: _workspace)
_practice.register(app)
_doctor.register(app, lambda: _workspace)


@cache
def _command() -> Callable[..., Any]:
    """The commands, read off their functions once."""
    return typer.main.get_command(app)


def run(arguments: list[str]) -> int:
    """Run the command line; returns the exit code."""
    try:
        result = _command()(args=_workspace_first(arguments), standalone_mode=False)
        return int(result or 0)
    except typer.Exit as stop:
        return int(stop.exit_code)
    except (EntryError, typer.BadParameter) as error:
        return _say(error, 2)
    except BenchError as error:
        return _say(error, 2)
    except SheetError as error:
        for problem in error.problems:
            print(problem, file=sys.stderr)
        return 3
    except UnitoneError as error:
        return _say(error, 3)
    except Exception as error:
        if hasattr(error, "exit_code") and hasattr(error, "show"):  # click's own usage errors
            error.show()
            return 2
        if type(error).__name__ in ("Abort", "KeyboardInterrupt"):
            return 130
        from unitone.trouble import FILE_NAME, log_folder, report

        return _say(f"{report(error, 'command line').words} Details: {log_folder() / FILE_NAME}", 3)


def _say(error: Exception | str, code: int) -> int:
    # What was typed may hold what no terminal prints.
    print(f"unitone: {error}".encode("utf-8", "backslashreplace").decode(), file=sys.stderr)
    return code


def _workspace_first(arguments: list[str]) -> list[str]:
    """``--workspace D`` may stand before or after the command: bring it to the front."""
    front: list[str] = []
    rest: list[str] = []
    words = iter(arguments)
    for word in words:
        if word == "--workspace":
            front += [word, next(words, "")]
        elif word.startswith("--workspace="):
            front.append(word)
        else:
            rest.append(word)
    return front + rest


def _print(data: Any) -> None:
    print(json.dumps(data, ensure_ascii=False, allow_nan=False))


@app.callback(invoke_without_command=True)
def _root(
    context: typer.Context,
    workspace: Annotated[str, typer.Option("--workspace", metavar="D", help="Another logbook (a folder).")] = "",
    version: Annotated[bool, typer.Option("--version", help="Print the version.")] = False,
) -> None:
    global _workspace  # noqa: PLW0603  one command line, one workspace
    _workspace = workspace
    if version:
        print(f"unitone {__version__}")
        raise typer.Exit(0)
    if context.invoked_subcommand is None:
        from unitone.cli.main import _open_window

        raise typer.Exit(_open_window(workspace, False, False))


@app.command()
def demo(
    no_window: Annotated[
        bool, typer.Option("--no-window", help="Make the demo workshop and print its folder.")
    ] = False,
) -> None:
    """Open the window on the demo workshop (an invented boathouse bench with simulated radios)."""
    if no_window:
        print(make_demo(_workspace))
        return
    from unitone.cli.main import _open_window

    raise typer.Exit(_open_window(_workspace, True, not _workspace))


def _on_all_cores() -> list[str]:
    """Half as many workers again as cores: a window waits for its bench now and then."""
    return ["-n", str((3 * (os.cpu_count() or 1) + 1) // 2), "--dist", "worksteal"]


@app.command(context_settings={"allow_extra_args": True, "ignore_unknown_options": True})
def test(context: typer.Context) -> None:
    """Run the test suite (arguments go to pytest)."""
    top = Path(__file__).resolve().parents[3]
    environment = {
        "OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1", **os.environ, "QT_QPA_PLATFORM": "offscreen", "PYTHONPATH": str(top / "src"),
    }  # fmt: skip
    # Each worker has a window of its own; the libraries then keep to one thread each.
    spread = [] if any(a.startswith(("-n", "-x", "--pdb", "--version")) for a in context.args) else _on_all_cores()
    code = subprocess.run(
        [sys.executable, "-m", "pytest", *spread, *context.args], cwd=top, env=environment, check=False
    ).returncode
    raise typer.Exit(code)


@app.command(context_settings={"ignore_unknown_options": True})
def level(
    value: Annotated[str, typer.Argument(help="A level: 0.5uV, -117dBm, 20dBuV, '1 uV EMF'.")],
    pad: Annotated[list[str] | None, typer.Option("--pad", help="A pad in line, as 40dB; may be repeated.")] = None,
    emf: Annotated[bool, typer.Option("--emf", help="Volts given are EMF (open circuit).")] = False,
    ohm: Annotated[float, typer.Option("--ohm", help="Impedance in ohms.")] = 50.0,
    as_json: Json = False,
) -> None:
    """A level in every unit, and what to dial behind the pads so that it arrives at the set."""
    from unitone.quantities.entry import parse_entry, parse_si
    from unitone.radio.levels import level_to_dbm, report_level

    typed = parse_entry(value, "level")
    if typed.bound or typed.word:
        raise EntryError.not_understood(value, "one level, like 0.5uV or -117dBm")
    if not 1.0 <= ohm <= 1e5:
        raise EntryError(f"“{ohm:g}” ohm: an impedance lies between 1 and 100 000 ohm, usually 50.")
    if emf and typed.unit in ("V", "dBuV"):
        typed = dataclasses.replace(typed, unit=f"{typed.unit} EMF")
    pads = 0.0
    for text in pad or []:
        decibels = parse_si(text, "dB")
        if decibels < 0:
            raise EntryError(f"“{text}”: a pad takes level away. Write it without the minus sign.")
        if decibels > 300:
            raise EntryError(f"“{text}”: no pad takes more than 300 dB.")
        pads += decibels
    dbm = level_to_dbm(typed, ohm)
    if not -300.0 <= dbm <= 100.0 or pads > 300:
        raise EntryError.impossible(value, f"that is {dbm:.6g} dBm; a level lies between −300 and 100 dBm.")
    report = report_level(dbm, ohm, pads)
    data = {k: round(v, 9) for k, v in dataclasses.asdict(report).items()}
    if as_json:
        _print(data)
        return
    print(f"{report.dbm:.2f} dBm · {report.uv_pd:.4g} µV PD · {report.uv_emf:.4g} µV EMF · {report.dbuv:.2f} dBµV")
    print(f"S{report.s_units:.1f} below 30 MHz (IARU: S9 = 50 µV PD), {report.over_s9_db:+.1f} dB against S9")
    print(f"dial {report.dial_dbm:.2f} dBm ({report.dial_uv_pd:.4g} µV PD) behind {pads:g} dB of pads")


@app.command()
def channel(
    plan_name: Annotated[str, typer.Argument(metavar="PLAN")],
    name: Annotated[str, typer.Argument(metavar="CHANNEL")],
    as_json: Json = False,
) -> None:
    """The carrier frequency of a channel: channel eu-40 20."""
    from unitone.radio.channels import plan

    try:
        chosen = plan(plan_name)
        hz = chosen.frequency(name)
    except UnitoneError as error:
        raise EntryError(str(error)) from None
    if as_json:
        _print({"plan": chosen.id, "channel": name, "mhz": hz / 1e6, "hz": hz})
    else:
        print(f"{hz / 1e6:.5f} MHz")


@sheet_app.command("sign")
def sign_folder(folder: Annotated[Path, typer.Argument(metavar="FOLDER")]) -> None:
    """List the hash of every sheet in a folder (SHA256SUMS), so that whoever takes them over sees that they are the ones meant."""
    from unitone.sheet.exchange.signing import sign

    made = sign(folder)
    print(f"{folder}: {len(made.hashes)} files signed; the list is {made.fingerprint}")


@sheet_app.command("exchange")
def exchange_sheets(
    folder: Annotated[Path, typer.Argument(metavar="FOLDER", help="A folder of others: a share, a checkout.")],
    take: Annotated[
        str, typer.Option("--take", metavar="ID", help="Take this sheet over; all: whatever is new or changed.")
    ] = "",
    as_json: Json = False,
) -> None:
    """What a folder of others has that is new or different, and taking it over. Own versions stay in use."""
    from unitone.sheet.exchange import sources
    from unitone.sheet.library import Library

    library = Library(folder_of(_workspace) / "sheets")
    source = sources.add_source(library, folder)
    looked = sources.look(library, source)
    wanted = [
        o
        for o in looked.offered
        if take == o.id or (take == "all" and o.state in ("new", "changed") and o.signature != "altered")
    ]
    if take and take != "all" and not wanted:
        raise EntryError(f"“{take}” is no sheet of {folder}. There are: {', '.join(o.id for o in looked.offered)}.")
    for o in wanted:
        sources.take(library, source, o)
    looked = sources.look(library, source)
    if as_json:
        _print({"source": source.name, "fingerprint": looked.fingerprint, "taken": [o.id for o in wanted],
                "sheets": [sources.as_data(o) for o in looked.offered]})  # fmt: skip
        return
    for o in looked.offered:
        print(f"{o.id:32} {o.state:8} {o.signature:9}{' own version' if o.own else ''}")
        for line in [] if o.state != "changed" else sources.differences(library, source, o):
            print(f"    {line.sign} {line.words}")
    print(f"signed list: {looked.fingerprint}" if looked.fingerprint else "no signed list")


@sheet_app.command("check")
def sheet_check(files: Annotated[list[str], typer.Argument(metavar="FILE...")]) -> None:
    """Check sheets: FILE:LINE: key: what is wrong and its cure. Exit 1 when one does not hold."""
    from unitone.sheet.format.read import read_sheet
    from unitone.sheet.format.warnings import older_names, sheet_warnings
    from unitone.sheet.library import check_file, open_file
    from unitone.simulator.physics import parse_physics, shape_problems
    from unitone.simulator.tryout import try_out

    def physics_shapes(path: Path) -> list[str]:
        """What is wrong with the physics file by itself, while its sheet is not right yet."""
        try:
            physics = open_file(path).physics
        except SheetError:
            return []
        return shape_problems(physics, str(path.with_suffix(".physics.toml"))) if physics else []

    bad = False
    for name in files:
        path = Path(name)
        try:
            problems = check_file(path)
            if problems:
                raise SheetError(problems + physics_shapes(path))
            sheet, physics = read_sheet(path), open_file(path).physics
            minor = sheet_warnings(sheet, str(path))
            if physics:
                beside = str(path.with_suffix(".physics.toml"))
                made = parse_physics(physics, beside, sheet)
                minor += older_names(physics, beside)
                found = try_out(sheet, made)
                if found:
                    raise SheetError([f"{beside}:1: {words}" for words in found])
                if made.sheet != sheet.id:
                    minor.append(
                        f"{beside}:1: sheet: it was written for {made.sheet!r}, and this is {sheet.id!r}. Right?"
                    )
            print(f"{name}: {sheet.title}, {len(sheet.steps)} steps, no errors")
            for words in minor:
                print(f"{words} (a warning)", file=sys.stderr)
        except SheetError as error:
            bad = True
            for problem in error.problems:
                print(problem, file=sys.stderr)
    raise typer.Exit(1 if bad else 0)


@sheet_app.command("draft")
def sheet_draft(
    file: Annotated[Path, typer.Argument(help="The text of an alignment procedure: a text file, a PDF or a scan.")],
    output: Annotated[
        Path | None, typer.Option("-o", "--output", metavar="FILE", help="Write the sheet there.")
    ] = None,
    pages: Annotated[str, typer.Option("--pages", help="Of a PDF: 12 or 12-15.")] = "",
    as_json: Json = False,
) -> None:
    """Draft a sheet from the text of a procedure; every step names the line it came from, and what is unsure is listed."""
    from unitone import files
    from unitone.sheet.drafting.drafted import draft_sheet
    from unitone.sheet.drafting.text_of_file import pages_of, text_of

    text = text_of(file, pages_of(pages) if pages else None)
    drafted = draft_sheet(text.lines, file.stem)
    if not drafted.steps:
        raise SheetError([f"{file}:1: file: no step was found in it. Is this the text of an alignment procedure?"])
    if output is not None:
        files.write_file(output, drafted.text.encode(), lambda words: SheetError([f"{output}:1: file: {words}"]))
    if as_json:
        _print({**drafted.report(), "said": list(text.said)})
        return
    for step in drafted.steps:
        print(f"line {step.line}: {step.title} ({step.aim}): {step.limit}")
    for number, words in drafted.unsure:
        print(f"{file}:{number}: {words} (unsure)", file=sys.stderr)
    for number, words in drafted.unread:
        print(f"{file}:{number}: “{words[:70]}” (not used)", file=sys.stderr)


def _faults(path: Path, sheet: Sheet) -> list[str]:
    """The faults that a sheet's simulated radio knows; none where it has no physics file, or one that does not hold."""
    from unitone.sheet.library import physics_path
    from unitone.simulator.physics import read_physics

    try:
        return sorted(read_physics(physics_path(path), sheet).fault) if physics_path(path).is_file() else []
    except SheetError:
        return []


@sheet_app.command("list")
def sheet_list(as_json: Json = False) -> None:
    """The workshop's own sheets, those that come with Unitone, and its general procedures."""
    from unitone.sheet.format.read import read_sheet
    from unitone.sheet.library import Library, general

    rows = []
    for kept in Library(folder_of(_workspace) / "sheets").kept():
        if kept.problems:
            print(f"unitone: {kept.problems[0]}", file=sys.stderr)
            continue
        s = read_sheet(kept.path)
        rows.append({"id": s.id, "maker": s.maker, "name": s.name, "kind": s.kind, "steps": len(s.steps),
                     "standin": kept.simulated, "faults": _faults(kept.path, s), "general": False})  # fmt: skip
    for path in general():
        s = read_sheet(path)
        rows.append({"id": s.id, "maker": "", "name": s.name, "kind": s.kind, "steps": len(s.steps), "standin": False, "faults": [],
                     "general": True})  # fmt: skip
    if as_json:
        _print(rows)
        return
    for r in rows:
        simulated = ", simulated radio" if r["standin"] else ""
        title = f"{r['maker']} {r['name']}".strip()
        print(f"{r['id']:24} {title}, {r['kind']}, {r['steps']} steps{simulated}")


@app.command()
def robot(
    sheet: Annotated[
        str,
        typer.Argument(
            help="A sheet's id, or a path with its physics file beside it; a general procedure for by-hand; none for adjuster, and for single "
            "cores swept."
        ),
    ] = "",
    task: Annotated[
        str,
        typer.Option(
            "--task",
            help="align, frequency, transmit, trace, noise, adjuster, sweep, by-hand, by-ear, two-radios, convert or by-wire",
        ),
    ] = "align",
    sets: Annotated[int, typer.Option("--sets", min=1, help="How many simulated radios.")] = 5,
    seed: Annotated[int, typer.Option("--seed", min=0, help="The first seed.")] = 1,
    fault: Annotated[
        str,
        typer.Option(
            "--fault",
            help="one of the simulated radio's faults, any, or none; trace: a part and how it failed, such as R52:open; noise: noisy, "
            "oscillates or any; adjuster: normal, "
            "no-peak, dead, too-strong, broken, two-peaks, any",
        ),
    ] = "none",
    workers: Annotated[int, typer.Option("--workers", min=1, help="Processes.")] = max(1, os.cpu_count() or 1),
    as_json: Json = False,
) -> None:
    """Let the robot technician align simulated radios by the coach's words, and judge it by the physics."""
    from unitone.robot.by_ear_radios import run_by_ear_trial
    from unitone.robot.by_hand import run_by_hand_trial
    from unitone.robot.by_wire import run_by_wire_trial
    from unitone.robot.converting import run_convert_trial
    from unitone.robot.noise_hunting import run_noise_trial
    from unitone.robot.on_frequency import run_frequency_trial
    from unitone.robot.one_coil import classes_of, run_adjuster_trial
    from unitone.robot.sweep import run_sweep_trial
    from unitone.robot.sweep_side import run_side_trial
    from unitone.robot.traced_radios import run_trace_trial
    from unitone.robot.transmit_side import run_transmit_trial
    from unitone.robot.two_radios import run_two_radios_trial
    from unitone.robot.whole_radios import run_trial

    runs: dict[str, Callable[..., dict[str, Any]]] = {
        "align": run_trial,
        "frequency": run_frequency_trial,
        "transmit": run_transmit_trial,
        "by-hand": run_by_hand_trial,
        "by-ear": run_by_ear_trial,
        "two-radios": run_two_radios_trial,
        "convert": run_convert_trial,
        "by-wire": run_by_wire_trial,
    }
    task = {"send": "transmit"}.get(task, task)
    if task == "adjuster":
        _tell_adjusters(run_adjuster_trial(sets, seed, workers, classes_of(fault)), as_json)
        return
    if task == "sweep":
        if fault != "none":
            raise EntryError(
                "sweep: single cores made from seeds, or a sheet's radios as they come. Leave --fault out."
            )
        report = run_side_trial(sheet, sets, seed, workers) if sheet else run_sweep_trial(sets, seed, workers)
        _tell_sweeps(report, as_json)
        return
    if task == "trace" and sheet:
        _tell_traces(run_trace_trial(sheet, sets, seed, workers, fault), as_json)
        return
    if task == "noise" and sheet:
        told = run_noise_trial(sheet, sets, seed, workers, fault)
        _print(told) if as_json else _tell_noises(told)
        return
    if task in ("by-ear", "two-radios") and sheet and fault == "none":
        told = runs[task](sheet, sets, seed, workers)
        _print(told) if as_json else _tell_without_instruments(told)
        return
    if task == "by-wire" and sheet and fault == "none":
        told = runs[task](sheet, sets, seed, workers)
        _print(told) if as_json else _tell_by_wire(told)
        return
    if task == "convert" and sheet and fault == "none":
        told = runs[task](sheet, sets, seed, workers)
        _print(told) if as_json else _tell_conversions(told)
        return
    if task not in runs and task not in ("trace", "noise"):
        known = ", ".join((*runs, "trace", "noise", "adjuster", "sweep"))
        raise EntryError(f"“{task}”: this version's robot knows the tasks {known}.")
    if not sheet:
        raise EntryError("Which radio? Name a sheet: unitone sheet list shows them.")
    if fault != "none" and task != "align":
        raise EntryError(f"“{fault}”: faults are for the tasks align and adjuster.")
    report = (
        runs[task](sheet, sets, seed, workers)
        if fault == "none"
        else run_trial(sheet, sets, seed, workers, fault=fault)
    )
    if as_json:
        _print(report)
        return
    print(
        f"{report['recovered']} of {sets} radios recovered, {report['wrong_verdicts']} wrong verdicts, {report['seconds']} s"
    )
    loss, error = report.get("loss_db"), report.get("error")
    left = "" if loss is None else f", loss {loss['median']} dB median, {loss['p95']} dB at 95 %"
    if error is not None and "median_hz" in error:
        left += f", {error['median_hz']} Hz off median, {error['p95_hz']} Hz at 95 %"
    if task == "transmit":
        left += f", {report['power_readings']} of them to bring the power even, {report['over_ceiling']} ever over a ceiling"
    print(f"coach: {report['readings_per_set']} readings a radio{left}")
    if (base := report.get("baseline")) is not None:
        print(f"{base['name']}: {base['readings_per_set']} readings a radio, {base['recovered']} recovered")
    for name, told in report.get("named", {}).items():
        print(f"{name}: named in {told['named']} of {told['sets']}")
    for problem in report["problems"]:
        print(f"seed {problem['seed']}: {'; '.join(problem['what'])}")


def _tell_without_instruments(report: dict[str, Any]) -> None:
    """Receivers by ear, or single-sideband sets by a second radio."""
    print(f"{report['recovered']} of {report['sets']} radios recovered, {report['seconds']} s")
    if report["task"] == "by-ear":
        loss = report["loss_db"]
        print(
            f"by ear: loss {loss['mean']} dB mean, {loss['p95']} dB at 95 %, listened {report['readings_per_set']} times a radio, "
            f"{report['stations_lost']} stations lost, {report['not_returnable']} not returnable"
        )
        return
    for name in ("by_ear", "by_sound_card"):
        one, hz = report[name], report[name]["error"]["hz"]
        print(
            f"{name.replace('_', ' ')}: carriers {hz['median']} Hz off median, {hz['p95']} Hz at 95 %, "
            f"{one['error']['share_within']:.1%} within {one['error']['within_hz']:.0f} Hz, {one['readings_per_set']} readings a radio"
        )


def _tell_by_wire(report: dict[str, Any]) -> None:
    """Radios aligned through wires, cables pulled."""
    print(
        f"{report['recovered']} of {report['sets']} radios recovered, {report['readings_per_set']} readings a radio, {report['seconds']} s"
    )
    print(
        f"{report['cuts_per_set']} cables pulled a radio, {report['typed_instead']} readings typed instead, {report['logs_whole']} logs whole, "
        f"RF off within {report['slowest_off_s']} s"
    )


def _tell_conversions(report: dict[str, Any]) -> None:
    """Conversions that were asked of simulated radios."""
    print(f"{report['recovered']} of {report['sets']} conversions right, {report['seconds']} s")
    print(
        f"lock foretold right in {report['locks_right']:.1%}, too close to call {report['too_close']:.1%}; "
        f"{report['off_frequency']} channels off frequency, {report['not_reached']} not reached"
    )
    worst = report["error"]["max_hz"]
    print(
        f"carried out {report['carried_out']}, {report['in_spec']} in spec, worst channel {'—' if worst is None else worst} Hz off; "
        f"{report['named_before']} named before as out of reach or too close"
    )


def _tell_traces(report: dict[str, Any], as_json: bool) -> None:
    if as_json:
        _print(report)
        return
    cost = report["cost"]
    print(
        f"stage: right {report['right']:.1%}, sure {report['sure']:.1%}, {report['tests_per_set']} tests; trouble {cost['this']}, "
        f"bisection {cost['bisection']}, walk {cost['walk']}"
    )
    print(
        f"part: first {report['part_first']:.1%}, in three {report['part_in_three']:.1%}; recovered {report['recovered']:.1%}"
    )


def _tell_noises(report: dict[str, Any]) -> None:
    cost, right = report["cost"], report["right_of"]
    print(
        f"stage: right {report['right']:.1%}, what it does {report['sound_right']:.1%}, {report['tests_per_set']} tried; halving "
        f"{right['bisection']:.1%} in {cost['bisection']}, walking {right['walk']:.1%} in {cost['walk']}; recovered {report['recovered']:.1%}"
    )
    for problem in report["problems"]:
        print(f"seed {problem['seed']}: {problem['fault']}, named {problem['named'] or 'none'}", file=sys.stderr)


def _tell_sweeps(report: dict[str, Any], as_json: bool) -> None:
    if as_json:
        _print(report)
        return
    for name, one in (("coach", report), *((b["name"], b) for b in report["baselines"])):
        loss = one["loss_db"]
        right = (
            f"{one['wrong_verdicts']} wrong verdicts"
            if "wrong_verdicts" in one
            else f"{one['recovered']} within 0.3 dB"
        )
        print(
            f"{name}: loss {loss['mean']} dB mean, {loss['p95']} dB at 95 %, {one['seconds_per_set']} s each, "
            f"{right}, {one['unfinished']} unfinished of {report['sets']}"
        )
    for problem in report["problems"]:
        what = problem["what"]
        print(f"seed {problem['seed']}: {what if isinstance(what, str) else '; '.join(what)}")


@app.command()
def simulate(
    sheet: Annotated[str, typer.Argument(help="A sheet's id, or a path with its physics file beside it.")],
    seed: Annotated[int, typer.Option("--seed", min=0, help="Which specimen.")] = 1,
    aligned: Annotated[
        bool, typer.Option("--aligned", help="Every adjuster where it is right, else as found.")
    ] = False,
    fault: Annotated[str, typer.Option("--fault", help="One of its faults.")] = "",
    reach: Annotated[
        bool,
        typer.Option(
            "--reach", help="Which readings each adjuster moves, and which of them the sheet does not declare."
        ),
    ] = False,
    as_json: Json = False,
) -> None:
    """What each step of a simulated radio reads, by its physics alone: for trying a physics file, and what a sheet declares."""
    from unitone.quantities.registry import quantity
    from unitone.quantities.show import show
    from unitone.robot.read_out import read_out

    if reach:
        if aligned or fault:
            raise UnitoneError(
                "--reach begins with every adjuster right and no fault. Leave out --aligned and --fault."
            )
        _tell_reach(sheet, seed, as_json)
        return
    found = read_out(sheet, seed, aligned, fault)
    if as_json:
        _print(found)
        return
    words = {True: "in", False: "OUT", None: ""}
    for step in found["steps"]:
        print(f"{step['id']}: {step['title']}")
        for r in step["readings"]:
            shown = r["why"] if r["value"] is None else show(quantity(step["quantity"]), r["value"])
            print(f"    {r['place'] or '-':<28} {shown:>14}  {words[r['inside']]}".rstrip())


def _tell_reach(sheet: str, seed: int, as_json: bool) -> None:
    """What each adjuster moves, what is not declared first."""
    from unitone.quantities.show import show
    from unitone.robot.declared_reach import reach, told

    read, moved = reach(sheet, seed)
    if as_json:
        _print(told(read, moved))
        return
    for m in sorted(moved, key=lambda m: m.declared):
        words = "" if m.declared else "NOT DECLARED: add it to the adjuster's affects"
        change = f"{show(m.step.quantity, m.before)} -> {show(m.step.quantity, m.after)}"
        print(f"{m.adjuster:<6} {m.step.id:<20} {m.conditions.place or '-':<24} {change:<28} {words}".rstrip())
    print(
        f"{read.title}: {len(moved)} readings hang on an adjuster, {sum(not m.declared for m in moved)} of them are not declared"
    )


def _tell_adjusters(report: dict[str, Any], as_json: bool) -> None:
    """The report on single adjusters."""
    if as_json:
        _print(report)
        return
    for told in ({"name": "coach", **report}, *report["baselines"]):
        loss = told["loss_db"]
        print(
            f"{told['name']}: {told['readings_per_set']} readings, loss {loss['mean']} dB mean, {loss['p95']} dB at 95 %, "
            f"{told['wrong_verdicts']} of {report['sets']} verdicts wrong"
        )


@app.command()
def measure(
    task: Annotated[str, typer.Argument(metavar="TASK", help="sinad, fm, am or spectrum.")],
    files: Annotated[list[Path], typer.Argument(metavar="FILE...", help="WAV, FLAC, SigMF; or a folder of them.")],
    channel_number: Annotated[int, typer.Option("--channel", min=1, help="Which channel of a sound file.")] = 1,
    weighting: Annotated[str, typer.Option("--weighting", help="flat, psophometric or c-message.")] = "flat",
    tone: Annotated[str, typer.Option("--tone", metavar="HZ", help="Nominal frequency of the tone.")] = "1 kHz",
    as_json: Json = False,
) -> None:
    """Measure recordings. A stereo file is I/Q for fm, am and spectrum: left I, right Q."""
    from unitone.bench.drivers.measure import TASKS, measure_file
    from unitone.bench.drivers.recording import recordings
    from unitone.quantities.entry import parse_si
    from unitone.signals.weighting import WEIGHTINGS

    wanted = next((t for t in TASKS if t == task), None)
    weight = next((w for w in WEIGHTINGS if w == weighting), None)
    if wanted is None:
        raise EntryError(f"“{task}” is nothing that is measured. Use one of: {', '.join(TASKS)}.")
    if weight is None:
        raise EntryError(f"“{weighting}” is no weighting. Use one of: {', '.join(WEIGHTINGS)}.")
    hz = parse_si(tone, "Hz")
    if not 50 <= hz <= 3400:
        raise EntryError.impossible(tone, "a tone lies between 50 and 3400 Hz")
    several = len(files) > 1 or files[0].is_dir()
    found = recordings(files)
    if not found:
        raise SignalError(f"{files[0]}: holds no recordings. Put WAV, FLAC or SigMF files in it.")
    failed = False
    for path in found:
        try:
            data = measure_file(path, wanted, channel_number, weight, hz)
        except SignalError as error:
            if not several:
                raise
            failed, data = True, {"error": str(error)}
            print(f"unitone: {error}", file=sys.stderr)
        if several:
            data = {"file": str(path), **data}
        if as_json:
            _print(data)
        elif "error" not in data:
            print(f"{path}: " if several else "", *_told(wanted, data), sep="")
    if failed:
        raise typer.Exit(3)


def _told(task: str, data: dict[str, Any]) -> list[str]:
    """A measurement as a person reads it."""

    def said(value: float | None, unit: str, digits: int = 1) -> str:
        return "—" if value is None else f"{value:.{digits}f} {unit}"

    lines = {
        "sinad": lambda d: (
            f"SINAD {said(d['sinad_db'], 'dB')} (± {said(d['uncertainty_db'], 'dB', 2)}), tone {said(d['tone_hz'], 'Hz')}, "
            f"distortion {said(d['distortion_pct'], '%', 2)}, level {said(d['level_dbfs'], 'dBFS')}"
        ),
        "fm": lambda d: (
            f"deviation {said(d['peak_deviation_hz'], 'Hz', 0)} (+{d['deviation_plus_hz']:.0f} −{d['deviation_minus_hz']:.0f}), "
            f"tone {said(d['tone_hz'], 'Hz')}, carrier {d['carrier_error_hz']:+.1f} Hz, SINAD {said(d['sinad_db'], 'dB')}"
        ),
        "am": lambda d: (
            f"depth {said(d['depth_pct'], '%')} (+{d['depth_plus_pct']:.1f} −{d['depth_minus_pct']:.1f}), "
            f"carrier {d['carrier_error_hz']:+.1f} Hz"
        ),
        "spectrum": lambda d: (
            f"carrier {d['carrier_hz']:.1f} Hz, {len(d['spurs'])} more lines"
            + "".join(f"\n  {s['hz']:.1f} Hz {s['dbc']:+.1f} dBc {s['name']}" for s in d["spurs"][:12])
        ),
    }
    return [lines[task](data), *(f"\n  {w}" for w in data["warnings"])]


@app.command()
def jobs(
    find: Annotated[str, typer.Option("--find", metavar="TEXT", help="Words in the card or the notes.")] = "",
    state: Annotated[
        str, typer.Option("--state", metavar="S", help="open, waiting, later, finished, handed over or archived.")
    ] = "",
    as_json: Json = False,
) -> None:
    """List the jobs of the logbook."""
    from unitone.session.workshop import STATES

    if state not in ("", *STATES):
        raise EntryError(f"“{state}” is not a state. Use one of: {', '.join(STATES)}.")

    with open_workspace(_workspace, read_only=True) as book:
        rows = [
            {"id": r.id, "number": r.number, "radio": r.radio, "state": r.status, "complaint": r.card["complaint"],
             "step": r.summary.get("step_title", "")}
            for r in book.jobs(find, state)
        ]  # fmt: skip
    if as_json:
        _print(rows)
        return
    for row in rows:
        print(f"{row['number']:04d}  {row['radio']:20} {row['state']:9} {row['step']:28} {row['complaint']}")
    if not rows:
        print("no jobs")


NoOwner = Annotated[bool, typer.Option("--without-owner", help="Leave owner and call sign out, wherever they stand.")]


@app.command()
def report(
    job: Annotated[str, typer.Argument(help="Number or id.")],
    form: Annotated[str, typer.Option("--format", help="pdf, html, csv or json.")] = "pdf",
    output: Annotated[Path | None, typer.Option("-o", "--output", metavar="FILE")] = None,
    page: Annotated[
        str, typer.Option("--page", help="certificate, or handover: the page for its owner.")
    ] = "certificate",
    without_owner: NoOwner = False,
    language: Annotated[
        str, typer.Option("--language", help="en or de; the workshop's choice for its papers where it is not given.")
    ] = "",
) -> None:
    """Write a job's certificate, or the page that goes home with the radio."""
    from unitone.job.fold import read
    from unitone.present.papers import FORMS, paper_head, render_paper, write_paper

    kind = next((k for k in FORMS if k == page), None)
    if kind is None:
        raise EntryError(f"“{page}” is no page of a job. Use one of {', '.join(FORMS)}.")
    if form not in FORMS[kind]:
        raise EntryError(f"“{form}” is no format of a {kind}. Use one of {', '.join(FORMS[kind])}.")
    with open_workspace(_workspace, read_only=True) as book:
        row = book.job(job)
        state, head = read(book.tape(row.id), row.id), paper_head(book)
    if language and language not in LANGUAGES:
        raise EntryError(f"“{language}” is not a language of Unitone. Use one of {', '.join(LANGUAGES)}.")
    if output is not None:
        write_paper(state, kind, form, output, without_owner, head, language)
    elif form == "pdf" and sys.stdout.isatty():
        raise EntryError("A PDF does not belong on a terminal. Name a file with -o FILE.")
    else:
        sys.stdout.buffer.write(render_paper(state, kind, form, without_owner, head, language))


@app.command("export")
def export_job(
    job: Annotated[str, typer.Argument(help="Number or id.")],
    file: Annotated[Path, typer.Argument(metavar="FILE")],
    without_owner: NoOwner = False,
) -> None:
    """Write one job, with its tape and its pictures, to a file of its own (JSON; docs/job.schema.json)."""
    from unitone.store.exchange import write_job

    with open_workspace(_workspace, read_only=True) as book:
        row = book.job(job)
        write_job(book, row.id, file, without_owner)
    print(f"{file}: job {row.number:04d}, {row.radio}")


@app.command("import")
def import_job(file: Annotated[Path, typer.Argument(metavar="FILE")]) -> None:
    """Take in a job from such a file; a number that is taken here is changed, a job that is here already is refused."""
    from unitone.store.exchange import import_job as take_in
    from unitone.store.exchange import read_job

    data = read_job(file)
    with open_workspace(_workspace) as book:
        number, renumbered = take_in(book, data)
    was = f" (was {data['job']['number']:04d}, taken here)" if renumbered else ""
    print(f"job {number:04d}{was}, {data['job']['radio']}")


@app.command()
def backup(file: Annotated[Path, typer.Argument(metavar="FILE")]) -> None:
    """Write the whole workshop (logbook and own sheets) to one file; a window may be open on it."""
    from unitone.store.backup import backup as write_backup

    for words in _up_to_date():
        print(f"unitone: {words}", file=sys.stderr)
    made = write_backup(folder_of(_workspace), file)
    print(f"{file}: {made.jobs} jobs")
    for left in made.left_out:
        print(f"unitone: not backed up: {left}", file=sys.stderr)


def _up_to_date() -> list[str]:
    """Bring this bench's copy of a shared logbook up to date before it is backed up; what to say where that cannot be."""
    from unitone.errors import LogbookBusy, ServerAway

    if isinstance(place_of(_workspace), Path):
        return []
    try:
        with open_workspace(_workspace) as book:
            if book.sharing is not None:
                book.sharing.exchange()
    except LogbookBusy:
        # A window has it open, and keeps it up to date.
        return []
    except ServerAway as away:
        return [f"{away} The copy of this bench is backed up as it is."]
    return []


@app.command()
def restore(file: Annotated[Path, typer.Argument(metavar="FILE")]) -> None:
    """Bring a backup back. A workshop that is there already is put aside, not overwritten; a shared logbook gets the jobs that it lacks."""
    from unitone.store.backup import restore as bring_back
    from unitone.store.moving import restore_to_server

    place = place_of(_workspace)
    if isinstance(place, str):
        _tell_moved(place, restore_to_server(file, place))
        return
    jobs, aside = bring_back(file, place)
    print(f"{place}: {jobs} jobs" + (f"; what was there lies in {aside}" if aside else ""))


@app.command("move")
def move_jobs(
    source: Annotated[str, typer.Argument(metavar="FROM", help="A folder, or postgresql://user@host/name.")],
    target: Annotated[str, typer.Argument(metavar="TO", help="A folder, or postgresql://user@host/name.")],
) -> None:
    """Copy all jobs and own sheets of one workshop to another: to a server that several benches share, or back."""
    from unitone.store.moving import move_places

    if place_of(source) == place_of(target):
        raise EntryError("FROM and TO are the same workshop. Name two.")
    _tell_moved(target, move_places(place_of(source), place_of(target)))


def _tell_moved(place: str, moved: Moved) -> None:
    print(f"{_shown(place)}: {moved.jobs} jobs taken over, {moved.there} were there already")
    for old, new in moved.renumbered:
        print(f"job {old:04d} is job {new:04d} there: its number was taken")
    for name in moved.sheets_left:
        print(f"unitone: the sheet {name} was not copied: another of that name is there", file=sys.stderr)


def _shown(place: str) -> str:
    """A place without its password."""
    if "://" not in place:
        return place
    from unitone.store.postgres.server import server_url

    return server_url(place).set(drivername="postgresql").render_as_string(hide_password=True)


@app.command()
def shots(folder: Annotated[Path, typer.Argument(metavar="DIR")]) -> None:
    """Remake the screenshots of the main views from the demo workshop, offscreen."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    import importlib

    for path in importlib.import_module("unitone.desktop.shell.shots").take_all(folder):
        print(path)
