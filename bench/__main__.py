"""Measure the product against its targets and print the tables.

    python -m bench hold | match | tells | patch | sources | deliver | media | fuzz | app | forms | service [--load] [--address http://127.0.0.1:8400]
    python -m bench proving --seeds 1-12 [--jobs 2] [--quick] [--keep]

Everything is measured on the demo's shots and their truth under ``var/``. Machines are shared: each table holds a
peer measured in the same run.
"""

import argparse
import os
import sys
from pathlib import Path

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # as in the workers: many small products, several processes
VAR = Path(__file__).resolve().parent.parent / "var"


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument(
        "what",
        nargs="+",
        choices=[
            "hold",
            "match",
            "tells",
            "patch",
            "deliver",
            "media",
            "fuzz",
            "app",
            "proving",
            "retouch",
            "sources",
            "service",
            "forms",
        ],
    )
    parser.add_argument("--seeds", default="1-12", help="Random shots of the proving ground: A-B, or A,B,C.")
    parser.add_argument("--jobs", type=int, default=1, help="Processes of the proving ground.")
    parser.add_argument("--quick", action="store_true", help="The default alone, not every mode beside it.")
    parser.add_argument("--keep", action="store_true", help="Keep frames for a detector under var/proving/N/detector.")
    parser.add_argument("--hours", type=float, default=0, help="How long to work on all shots before memory is read.")
    parser.add_argument("--part", default="", help="One part of the sources: surface, overlay, passer, borrow, ...")
    parser.add_argument("--load", action="store_true", help="Look and paint on the house at the address, too.")
    parser.add_argument("--var", type=Path, default=VAR)
    parser.add_argument("--address", default="http://127.0.0.1:8400")
    options = parser.parse_args()
    for what in options.what:
        if what in ("media", "fuzz"):
            from bench import media

            getattr(media, what)(options.var)
        elif what == "hold":
            from bench import hold

            hold.hold(options.var)
        elif what == "match":
            from bench import match

            match.match(options.var)
        elif what == "tells":
            from bench import tells

            tells.tells(options.var)
        elif what == "proving":
            from bench.proving import table

            table.proving(options.var, _seeds(options.seeds), options.jobs, not options.quick, options.keep)
        elif what == "retouch":
            from bench.proving import retouch

            retouch.retouch(options.var, _seeds(options.seeds))
        elif what == "sources":
            from bench import sources

            sources.sources(options.var, options.part)
        elif what == "forms":
            from bench import forms

            forms.forms(options.var)
        elif what == "service":
            from bench import service

            service.service(options.var, options.address, options.load)
        elif what == "app":
            from bench import app

            app.run(options.address, options.var, options.hours)
        else:
            from bench import engine

            getattr(engine, what)(options.var)
    sys.exit(0)


def _seeds(asked: str) -> list[int]:
    """Seeds of "3-7" or "3,5,9"."""
    if "-" in asked:
        first, last = map(int, asked.split("-"))
        return list(range(first, last + 1))
    return [int(one) for one in asked.split(",")]


if __name__ == "__main__":
    main()
