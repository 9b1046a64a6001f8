// Taps of a key on a drawn thing: gathered to one change, shown at once, and kept when the keys rest. What is on its way
// to the application counts as kept already, so that a tap in the meantime goes on from there.
//
// `kept(id, field)` is what stands in the drawing, `show(id, change)` draws a thing as changed, and `save(id, change)`
// keeps it, and says when the drawing stands anew.
export function nudger({ kept, show, save, rest = 450 }) {
  let gathered = null;
  const flying = {};

  const settle = async () => {
    const { id, change, timer } = gathered;
    clearTimeout(timer);
    gathered = null;
    flying[id] = { ...flying[id], ...change };
    const mine = flying[id];
    await save(id, { ...change });
    if (flying[id] === mine) delete flying[id];
    if (gathered?.id === id) show(id, gathered.change);
  };

  return {
    by(id, field, step) {
      if (gathered && gathered.id !== id) settle();
      gathered ||= { id, change: {} };
      const now = gathered.change[field] ?? flying[id]?.[field] ?? kept(id, field);
      gathered.change[field] = now + step;
      show(id, { ...flying[id], ...gathered.change });
      clearTimeout(gathered.timer);
      gathered.timer = setTimeout(settle, rest);
    },
  };
}
