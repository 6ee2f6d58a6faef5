"""A meter's range for the mathematics: as its data sheet has it, and as a known voltage found it."""

from __future__ import annotations

from dynamis.bench.document.records import InstrumentRecord
from dynamis.calibration.meter import MeterRange
from dynamis.calibration.meter_check import KnownVolts, check_meter


def sheet_range(record: InstrumentRecord) -> MeterRange:
    """A meter's range, or a known voltage, as its data sheet has it."""
    return MeterRange(
        record.percent, record.counts, record.resolution_volts, record.full_scale_volts, record.percent_of_range
    )


def meter_range(record: InstrumentRecord) -> MeterRange:
    """A meter's range, with its own gain and zero where a known voltage told them."""
    sheet, check = sheet_range(record), record.check
    if check is None:
        return sheet
    return check_meter(sheet, KnownVolts(check.percent, check.zero_volts), check.known_volts, check.shown_volts)
