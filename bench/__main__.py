"""`./run bench [NAME…]`: each figure as a ratio against a named baseline, in one run."""

from __future__ import annotations

import sys

from bench import (
    captions,
    cards,
    catalogue,
    clocks,
    corpus,
    dates,
    doubles,
    filing,
    gaps,
    hands,
    heard,
    hostile,
    mixed,
    reading,
    sorting,
    starts,
    story,
    tidying,
    transfer,
    views,
    window,
)

_ALL = {
    "reading": reading.run,
    "mixed": mixed.run,
    "transfer": transfer.run,
    "window": window.run,
    "clocks": clocks.run,
    "dates": dates.run,
    "corpus": corpus.run,
    "hands": hands.run,
    "heard": heard.run,
    "hostile": hostile.run,
    "filing": filing.run,
    "gaps": gaps.run,
    "story": story.run,
    "doubles": doubles.run,
    "catalogue": catalogue.run,
    "views": views.run,
    "cards": cards.run,
    "starts": starts.run,
    "tidying": tidying.run,
    "sorting": sorting.run,
    "captions": captions.run,
}


def main() -> None:
    """Run the benchmarks that are named, or all."""
    names = sys.argv[1:] or list(_ALL)
    unknown = [name for name in names if name not in _ALL]
    if unknown:
        sys.exit(f"There is no benchmark {unknown[0]}. There are: {', '.join(_ALL)}.")
    for name in names:
        print(f"== {name}", flush=True)
        _ALL[name]()


if __name__ == "__main__":
    main()
