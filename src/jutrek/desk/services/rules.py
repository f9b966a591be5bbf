"""The house rules of a library, and what its devices are called."""

from __future__ import annotations

from collections.abc import Sequence

from jutrek.captures import Device
from jutrek.desk import events
from jutrek.desk.naming_devices import change_devices
from jutrek.desk.services.opened import Opened
from jutrek.filing import HouseRules
from jutrek.filing.rulebook import keep_rules, load_rules
from jutrek.library import known_devices


class RulesService:
    """Knows the rules that hold."""

    def __init__(self, opened: Opened) -> None:
        self._at = opened
        book = load_rules(opened.library)
        self.now, self._trouble = book.rules, book.trouble

    def tell(self) -> None:
        """Tell which rules hold; `RulesKnown` follows."""
        known = sorted(known_devices(self._at.library).values(), key=lambda one: (len(one.letter), one.letter, one.key))
        self._at.teller.tell(events.RulesKnown(self.now, self._trouble, tuple(known)))

    def keep(self, rules: HouseRules, devices: Sequence[Device] = ()) -> None:
        """Keep rules, and what devices are called, in the library; `RulesKnown` follows.

        Raises:
            LibraryMissing: when they cannot be written.
            PageBroken: when the list of devices is damaged.
        """
        keep_rules(self._at.library, rules)
        if devices:
            change_devices(self._at.library, self._at.ledger, devices)
        self.now, self._trouble = rules, ""
        self._at.intake.rules(rules, bool(devices))
        self.tell()
