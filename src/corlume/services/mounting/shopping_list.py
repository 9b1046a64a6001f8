"""Shopping list of a setup: fixtures that are not owned, lenses, supports, leads and protection."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from corlume.core.keeping.owned_item import OwnedItem
from corlume.core.message_text import letter, letters
from corlume.core.mounting.cables import Lead, leads_of
from corlume.core.mounting.mount import MOUNT_TYPES, MountType, units_on
from corlume.core.mounting.power_checks import TRIPS_AT
from corlume.core.mounting.screw_marks import own_hangers
from corlume.services.keeping.fixture_settings import lens_changes
from corlume.services.mounting.owned import Owned
from corlume.services.search.costs import body_of
from corlume.store.tanks import StoredSetup, StoredTank


@dataclass(frozen=True, slots=True)
class ShoppingItem:
    """Something to buy: what, how many, the price of one, 0 when not known [currency], and what it is for; lengths in
    its words by name [m].
    """

    what: str
    count: int
    price: float
    why: str
    length: float = 0.0


def shopping_list(
    stored: StoredTank, setup: StoredSetup, shelf: Sequence[Owned], mounts: Mapping[MountType, OwnedItem]
) -> list[ShoppingItem]:
    """What the setup needs beyond what hangs in the setup in use and lies in the cupboard; ``mounts`` are those in the
    cupboard, by type.
    """
    whole, hung = setup.value, setup.hung
    have = Counter(map(body_of, stored.setup().hung))
    known = {body_of(one.entry.parts[0]): one for one in shelf if len(one.entry.parts) == 1}
    for body, one in known.items():
        have[body] += one.count
    found, needed = list[ShoppingItem](), Counter(map(body_of, hung)) - have
    for body, count in needed.items():
        named = next(f.name for f in hung if body_of(f) == body)
        entry = known.get(body)
        found.append(ShoppingItem(entry.entry.name if entry else named, count, entry.price if entry else 0.0, "light"))
    for change in lens_changes(stored, setup):
        if change.pieces:
            found.append(ShoppingItem(change.front, change.pieces + change.spares, 0.0, f"{change.spares} are spares"))
    found += _mounts(stored, setup, mounts)
    ratings = Counter(hanger.rating for hanger in own_hangers(stored.tank, hung, whole.mounts))
    for rating, count in sorted(ratings.items()):
        rated = f"support with anchor, rated {rating} kg" if rating else "support with anchor, rating not known"
        found.append(ShoppingItem(rated, 2 * count, 0.0, "two for each light without a mount"))
    leads = leads_of(hung, whole.cords, whole.power_parts, [letter(k) for k in range(len(hung))])
    found += [_lead(lead) for lead in leads if lead.short]
    if hung and not 0 < stored.surroundings.residual <= TRIPS_AT:
        found.append(ShoppingItem("residual-current device, 30 mA", 1, 0.0, "fitted by a licensed electrician"))
    return found


def _mounts(stored: StoredTank, setup: StoredSetup, cupboard: Mapping[MountType, OwnedItem]) -> Iterator[ShoppingItem]:
    """Mounts of types of which fewer are owned: in the setup in use, or in the cupboard."""
    have = Counter(mount.type for mount in stored.setup().mount_values)
    have.update({kind: item.count for kind, item in cupboard.items()})
    for mount in setup.mount_values:
        units = units_on(mount, setup.hung)
        if have[mount.type] > 0 or not units:
            have[mount.type] -= 1
            continue
        weight = sum(setup.hung[k].weight for unit in units for k in unit)
        why = f"holds {letters([k for unit in units for k in unit])}" + f", {weight:.1f} kg" * (weight > 0)
        price = cupboard[mount.type].offer if mount.type in cupboard else 0.0
        yield ShoppingItem(f"{mount.name}, {MOUNT_TYPES[mount.type]}", 1, price, why)


def _lead(lead: Lead) -> ShoppingItem:
    return ShoppingItem("lead of at least {length}", 1, 0.0, f"from {lead.start} to {lead.end}", lead.need)
