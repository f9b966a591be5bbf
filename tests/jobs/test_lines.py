"""Lines of an outline that are moved: each goes with all that lies in it, and none is ever lost."""

from __future__ import annotations

import random

from jutrek.jobs.lines import block_of, depth_of, moved_block, moved_down, moved_in, moved_out, moved_up, with_line

TREE = ["top", "    a", "        b", "    c", "    d : from d"]


def test_in_and_out() -> None:
    assert moved_in(TREE, 3, 4).lines == ("top", "    a", "        b", "        c", "    d : from d")
    assert moved_in(TREE, 1, 2).lines == moved_in(TREE, 2, 3).lines == tuple(TREE)
    flat = ["top", "    a", "    b", "        c"]
    assert moved_in(flat, 2, 3).lines == ("top", "    a", "        b", "            c")
    assert moved_out(TREE, 1, 2).lines == ("top", "a", "    b", *TREE[3:])
    assert moved_in(TREE, 0, 1).lines == tuple(TREE)


def test_up_and_down() -> None:
    made = moved_block(TREE, 1, 5)
    assert (made.lines, made.first, made.behind) == (("top", *TREE[3:], "    a", "        b"), 3, 5)
    assert moved_block(TREE, 3, 1).lines == ("top", "    c", "    a", "        b", "    d : from d")
    assert moved_block(TREE, 3, 2).lines == ("top", "    a", "        c", "        b", "    d : from d")
    assert moved_block(TREE, 1, 2).lines == tuple(TREE)
    assert moved_up(TREE, 3) == (("top", "    c", "    a", "        b", "    d : from d"), 1, 2)
    assert moved_down(TREE, 1) == (("top", "    c", "    a", "        b", "    d : from d"), 2, 4)
    for move, at in ((moved_up, 1), (moved_up, 2), (moved_down, 2), (moved_down, 4), (moved_down, 0)):
        assert move(TREE, at).lines == tuple(TREE)


def test_another_line() -> None:
    assert with_line(TREE, 1, "x : from x").lines[3] == "        x : from x"
    assert with_line(TREE, 4, "x : from x").lines[5] == "    x : from x"
    assert with_line([""], 7, "x").lines == ("", "    x")


def test_no_line_is_lost() -> None:
    chance = random.Random(3)
    for _ in range(3_000):
        lines = ["top", *(" " * 4 * chance.randrange(1, 5) + f"l{number}" for number in range(chance.randrange(1, 9)))]
        at, to = chance.randrange(len(lines)), chance.randrange(len(lines) + 1)
        first, behind = block_of(lines, at)
        made = moved_block(lines, at, to)
        assert sorted(line.strip() for line in made.lines) == sorted(line.strip() for line in lines)
        inner = [depth_of(line) - depth_of(lines[first]) for line in lines[first:behind]]
        moved = made.lines[made.first : made.behind]
        assert [depth_of(line) - depth_of(moved[0]) for line in moved] == inner or depth_of(moved[0]) == 0
