"""Care cards of the coral library."""

from __future__ import annotations

from corlume.core.placement.coral_card import CoralCard
from corlume.reference.coral_library import coral_library


def coral_cards() -> dict[str, CoralCard]:
    """Cards by name."""
    return {name: kind.card for name, kind in coral_library().items()}
