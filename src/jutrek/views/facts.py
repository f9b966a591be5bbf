"""What is known of captures at home, as patterns take it: from columns, without reading a file."""

from __future__ import annotations

from jutrek.captures import Capture, Device, Moment, ReadFile, Trust
from jutrek.filing.facts import Facts, words_and_place
from jutrek.formats import Kind, Precision, Reading
from jutrek.sources import SourceFile
from jutrek.views.columns import KINDS, NO_DAY, Columns, Names, day_of


def facts_at(columns: Columns, row: int) -> Facts:
    """What is known of a capture at home, as patterns take it."""
    names, path = columns.names, columns.path(row)
    when = columns.when(row)
    moment = None
    if when is not None:
        moment = Moment(when, None, Precision(int(columns.precision[row]) or 1), Trust.LIKELY, -1, "")
    filed = int(columns.filed[row])
    day = day_of(filed) if filed != NO_DAY and columns.precision[row] >= Precision.DAY else None
    device = str(names[Names.DEVICE][columns.device[row]])
    reading = Reading(Kind(KINDS[columns.kind[row]]), str(names[Names.FORMAT][columns.format[row]]))
    file = SourceFile(path, "", int(columns.size[row]), int(columns.changed[row]))
    shoot, place = words_and_place(str(names[Names.SHOOT][columns.shoot[row]]))
    capture = Capture((ReadFile(file, reading, moment),), moment, device)
    return Facts(
        capture, day, shoot, str(names[Names.PLACE][columns.place[row]]) or place,
        Device(device, device) if device else None, str(names[Names.PERSON][columns.person[row]]), {}, path,
    )  # fmt: skip
