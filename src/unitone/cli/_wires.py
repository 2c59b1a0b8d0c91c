"""Instruments by wire at the command line: cards listed, checked and tried, and a simulated bench served over TCP."""

from __future__ import annotations

import json
import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Annotated

import typer

from unitone.cli.workspace import folder_of
from unitone.errors import BenchError, SheetError


def register(app: typer.Typer, workspace: Callable[[], str]) -> None:
    """``unitone instrument list|check|try`` and ``unitone bench-server``."""
    wire_app = typer.Typer(help="Instruments by wire: list, check and try their cards.", no_args_is_help=True)
    app.add_typer(wire_app, name="instrument")

    @wire_app.command("list")
    def instrument_list(
        as_json: Annotated[bool, typer.Option("--json", help="Print one JSON object and nothing else.")] = False,
    ) -> None:
        """The cards that come with Unitone, and the workshop's own."""
        from unitone.bench.wire.instrument_card import cards

        rows = []
        for f in cards(folder_of(workspace()) / "instruments"):
            if f.made is None:
                print(f"unitone: {f.problems[0]}", file=sys.stderr)
                continue
            reads = [r.quantity for r in f.made.read]
            rows.append({"id": f.made.id, "name": f.made.name, "kind": f.made.kind, "reads": reads, "own": f.own})
        if as_json:
            print(json.dumps(rows, ensure_ascii=False))
            return
        for row in rows:
            print(f"{row['id']:24} {row['name']}")

    @wire_app.command("check")
    def instrument_check(files: Annotated[list[str], typer.Argument(metavar="FILE...")]) -> None:
        """Check cards: FILE:LINE: key: what is wrong and its cure. Exit 1 when one does not hold."""
        from unitone.bench.wire.instrument_card import read_card

        bad = False
        for name in files:
            try:
                made = read_card(Path(name))
                print(f"{name}: {made.name}, reads {len(made.read)} quantities, no errors")
            except SheetError as error:
                bad = True
                for problem in error.problems:
                    print(problem, file=sys.stderr)
        raise typer.Exit(1 if bad else 0)

    @wire_app.command("try")
    def instrument_try(
        card: Annotated[str, typer.Argument(help="A card's id, or a file.")],
        address: Annotated[str, typer.Argument(help="host:port, /dev/ttyUSB0, or a VISA resource.")],
    ) -> None:
        """Talk to an instrument line by line: what was sent, what came back, what the card makes of it. Exit 1 where a line is wrong."""
        from unitone.bench.wire.instrument_card import cards, read_card
        from unitone.bench.wire.link import VisaLink
        from unitone.bench.wire.wizard import try_card

        known = cards(folder_of(workspace()) / "instruments")
        made = next((f.made for f in known if f.made is not None and f.made.id == card), None) or read_card(Path(card))
        link = VisaLink(address, made)
        wrong = 0
        try:
            for line in try_card(made, link):
                wrong += not line.right
                print(f"{line.sent} → {line.answered or '—'}: {line.means}")
        finally:
            link.close()
        raise typer.Exit(1 if wrong else 0)

    @app.command("bench-server")
    def bench_server(
        sheet: Annotated[str, typer.Argument(help="A sheet's id or file, with its physics file beside it.")],
        seed: Annotated[int, typer.Option("--seed", help="Which simulated radio.")] = 1,
        port: Annotated[int, typer.Option("--port", help="The first of eight ports.")] = 5025,
        host: Annotated[
            str, typer.Option("--host", help="Who may connect; 127.0.0.1: this machine alone.")
        ] = "127.0.0.1",
        pad: Annotated[str, typer.Option("--pad", help="What stands between generator and radio.")] = "40 dB",
    ) -> None:
        """Serve a simulated radio's bench over TCP (SCPI), a port an instrument, until Ctrl+C."""
        from unitone.quantities.entry import parse_si
        from unitone.sheet.format.read import parse_sheet
        from unitone.sheet.library import Library, open_file
        from unitone.simulator.physics import parse_physics
        from unitone.simulator.radio import SimulatedRadio
        from unitone.simulator.served import BenchServer, ServedBench
        from unitone.simulator.simulated_bench import SimulatedBench

        path = Library(folder_of(workspace()) / "sheets").find(sheet)
        bundle = open_file(path)
        if not bundle.physics:
            raise BenchError(f"{sheet} has no simulated radio: no physics file stands beside it.")
        read = parse_sheet(bundle.text, str(path), path.stem)
        radio = SimulatedRadio(read, parse_physics(bundle.physics, str(path), read), seed)
        server = BenchServer(
            ServedBench(SimulatedBench(radio), read, parse_si(pad.removesuffix("dB").strip(), "")), host, port
        )
        print(f"{read.title}, seed {seed}. Ctrl+C ends it.", flush=True)
        for name, number in server.ports.items():
            print(f"{host}:{number}  {name}", flush=True)
        try:
            while True:
                time.sleep(0.5)
        except KeyboardInterrupt:
            print("ended")
        finally:
            server.close()
