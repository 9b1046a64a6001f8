"""What is wrong with a file."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Fault:
    """One thing wrong in a file: where and what."""

    where: str
    what: str

    def __str__(self) -> str:
        return f"{self.where}: {self.what}" if self.where else self.what


class BadFile(ValueError):
    """Raised for a file that cannot be read, with every fault found."""

    def __init__(self, faults: list[Fault]) -> None:
        self.faults = faults
        super().__init__("\n".join(str(fault) for fault in faults))
