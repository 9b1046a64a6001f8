// Bodies of the tank in three dimensions, in metres: x to the right, y up from the floor, z towards the viewer.

// Where x, y from the front and depth are in the picture.
export const placed = ({ tank }, x, y, depth) => [x - tank.length / 2, tank.depth - depth, tank.width / 2 - y];

// Parts of a binary answer: how long its list is, the list, and the arrays that it names.
export function unpack(buffer) {
  const length = new DataView(buffer).getUint32(0, true);
  const list = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, length)));
  const types = { f4: Float32Array, u4: Uint32Array };
  const arrays = {};
  for (const [name, { type, start, count }] of Object.entries(list.arrays)) {
    arrays[name] = new types[type](buffer, start, count);
  }
  return { ...list.model, arrays };
}

// The colour of a PAR, with a dark line at each limit between bands: a strip from 0 to the most PAR.
export function bandStrip(bands, most, colours, ink, width = 2048) {
  const strip = document.createElement("canvas");
  [strip.width, strip.height] = [width, 1];
  const brush = strip.getContext("2d");
  for (const band of bands) {
    const [from, to] = [(band.low / most) * width, ((band.high ?? most) / most) * width];
    brush.fillStyle = colours[band.key];
    brush.fillRect(from, 0, Math.max(0, to - from), 1);
    if (band.low > 0) {
      brush.fillStyle = ink;
      brush.fillRect(from - 1.5, 0, 3, 1);
    }
  }
  return strip;
}

export function label(three, words, size, colours) {
  const picture = document.createElement("canvas");
  const brush = picture.getContext("2d");
  const font = `600 44px ${getComputedStyle(document.body).fontFamily}`;
  brush.font = font;
  [picture.width, picture.height] = [Math.ceil(brush.measureText(words).width) + 20, 60];
  brush.font = font;
  [brush.textBaseline, brush.lineWidth, brush.lineJoin] = ["middle", 9, "round"];
  brush.strokeStyle = colours.sheet;
  brush.strokeText(words, 10, 31);
  brush.fillStyle = colours.ink;
  brush.fillText(words, 10, 31);
  const map = new three.CanvasTexture(picture);
  map.colorSpace = three.SRGBColorSpace;
  const sprite = new three.Sprite(new three.SpriteMaterial({ map, depthTest: false, transparent: true }));
  sprite.scale.set((size * picture.width) / picture.height, size, 1);
  sprite.renderOrder = 5;
  return sprite;
}

const SHAPES = {
  plate: (three, r, h) => [new three.CylinderGeometry(r, 0.86 * r, Math.max(0.006, 0.12 * h), 28), 0.94 * h],
  branch: (three, r, h) => [new three.CylinderGeometry(r, 0.3 * r, h, 9, 4), 0.5 * h],
  mound: (three, r, h) => [new three.SphereGeometry(1, 22, 11, 0, 2 * Math.PI, 0, Math.PI / 2).scale(r, h, r), 0],
  crust: (three, r, h) => [new three.CylinderGeometry(0.94 * r, r, Math.max(0.004, h), 26), 0.5 * h],
  mat: (three, r, h) => [new three.SphereGeometry(1, 20, 8, 0, 2 * Math.PI, 0, Math.PI / 2).scale(r, h, r), 0],
  free: (three, r, h) => [new three.SphereGeometry(1, 20, 12).scale(r, 0.5 * h, r), 0.5 * h],
};

// A coral by how it grows, at its size at a step of the months, standing along its normal.
export function coral(three, model, one, colours, step, reach) {
  const group = new three.Group();
  const [across, high] = [one.across[step], one.height[step]];
  const [shape, up] = (SHAPES[one.form] || SHAPES.mound)(three, across / 2, Math.max(0.004, high));
  const body = new three.Mesh(shape, new three.MeshLambertMaterial({ color: colours[one.state] }));
  body.position.y = up;
  const stand = new three.Group();
  stand.add(body);
  stand.quaternion.setFromUnitVectors(
    new three.Vector3(0, 1, 0), new three.Vector3(one.way[0], one.way[2], -one.way[1]).normalize(),
  );
  group.add(stand);
  if (one.sweepers > 0 && reach) {
    const sphere = new three.SphereGeometry(across / 2 + one.sweepers, 20, 12);
    const skin = new three.MeshBasicMaterial({ color: colours.poor, transparent: true, opacity: 0.08, depthWrite: false });
    group.add(new three.Mesh(sphere, skin));
  }
  const name = label(three, String(one.number), 0.05, colours);
  name.position.set(0, high + 0.035, 0);
  group.add(name);
  group.position.set(...placed(model, ...one.place));
  return group;
}

export function fixture(three, model, one, colours) {
  const group = new three.Group();
  const body = new three.Mesh(
    new three.BoxGeometry(one.length, 0.03, one.width), new three.MeshLambertMaterial({ color: colours.body }),
  );
  body.position.y = 0.015;
  group.add(body);
  const name = label(three, one.letter, 0.07, colours);
  name.position.y = 0.06;
  group.add(name);
  group.rotation.y = one.turn;
  group.position.set(...placed(model, one.x, one.y, -one.height));
  return group;
}

// The beam: out to where the light is half as strong, in water narrower than in air.
export function beam(three, model, one, colours) {
  const group = new three.Group();
  const skin = new three.MeshBasicMaterial({
    color: colours.beam, transparent: true, opacity: 0.05 + 0.1 * one.output, side: three.DoubleSide, depthWrite: false,
  });
  // inside the panes, which send the rest back
  const { length, width } = model.tank;
  const wet = skin.clone();
  wet.clippingPlanes = [[1, 0, length], [-1, 0, length], [0, 1, width], [0, -1, width]].map(
    ([x, z, size]) => new three.Plane(new three.Vector3(x, 0, z), size / 2),
  );
  const half = Math.min(1.35, one.fwhm / 2);
  const into = Math.asin(Math.sin(half) / model.tank.index);
  const [at, spread] = [one.height * Math.tan(half), model.tank.depth * Math.tan(into)];
  const start = Math.min(one.length, one.width) / 2;
  const air = new three.Mesh(new three.CylinderGeometry(start, start + at, one.height, 36, 1, true), skin);
  air.position.set(...placed(model, one.x, one.y, -one.height / 2));
  const water = new three.Mesh(
    new three.CylinderGeometry(start + at, start + at + spread, model.tank.depth, 36, 1, true), wet,
  );
  water.position.set(...placed(model, one.x, one.y, model.tank.depth / 2));
  group.add(air, water);
  return group;
}

export function pump(three, model, one, colours) {
  const way = new three.Vector3(one.way[0], one.way[2], -one.way[1]);
  const from = new three.Vector3(...placed(model, ...one.place));
  return new three.ArrowHelper(way, from, one.reach, colours.accent, 0.05, 0.035);
}

export function reading(three, model, one, colours) {
  const group = new three.Group();
  const dot = new three.Mesh(new three.SphereGeometry(0.008, 12, 8), new three.MeshBasicMaterial({ color: colours.ink }));
  const name = label(three, String(one.par), 0.042, colours);
  name.position.y = 0.03;
  group.add(dot, name);
  group.position.set(...placed(model, ...one.place));
  return group;
}

// Panes and the water line as lines, and the water as a thin skin.
export function panes(three, model, colours) {
  const { length, width, depth, rim } = model.tank;
  const group = new three.Group();
  const box = new three.EdgesGeometry(new three.BoxGeometry(length, depth + rim, width));
  const frame = new three.LineSegments(box, new three.LineBasicMaterial({ color: colours.ink }));
  frame.position.y = (depth + rim) / 2;
  const skin = new three.MeshBasicMaterial({
    color: colours.water, transparent: true, opacity: 0.14, side: three.DoubleSide, depthWrite: false,
  });
  const top = new three.Mesh(new three.PlaneGeometry(length, width).rotateX(-Math.PI / 2), skin);
  top.position.y = depth;
  group.add(frame, top);
  return group;
}

// Rock and sand, each point in the colour of the band of the PAR that falls on it.
export function surface(three, model, map) {
  const { corners, normals, par, triangles } = model.arrays;
  const count = par.length;
  const [at, facing, strip] = [new Float32Array(3 * count), new Float32Array(3 * count), new Float32Array(2 * count)];
  for (let k = 0; k < count; k += 1) {
    at.set(placed(model, corners[3 * k], corners[3 * k + 1], corners[3 * k + 2]), 3 * k);
    facing.set([normals[3 * k], normals[3 * k + 2], -normals[3 * k + 1]], 3 * k);
    strip.set([Math.min(0.9999, par[k] / model.most), 0.5], 2 * k);
  }
  const shape = new three.BufferGeometry();
  shape.setAttribute("position", new three.BufferAttribute(at, 3));
  shape.setAttribute("normal", new three.BufferAttribute(facing, 3));
  shape.setAttribute("uv", new three.BufferAttribute(strip, 2));
  shape.setIndex(new three.BufferAttribute(triangles, 1));
  const found = new three.Mesh(shape, new three.MeshLambertMaterial({ map }));
  found.name = "rock and sand";
  return found;
}

// Where rock turns sharply, as lines.
export function edges(three, rock, colours) {
  const skin = new three.LineBasicMaterial({ color: colours.ink, transparent: true, opacity: 0.55 });
  return new three.LineSegments(new three.EdgesGeometry(rock.geometry, 30), skin);
}

export function equalPar(three, model, arrays, colours) {
  const { corners, triangles } = arrays;
  const at = new Float32Array(corners.length);
  for (let k = 0; k < corners.length; k += 3) at.set(placed(model, corners[k], corners[k + 1], corners[k + 2]), k);
  const shape = new three.BufferGeometry();
  shape.setAttribute("position", new three.BufferAttribute(at, 3));
  shape.setIndex(new three.BufferAttribute(triangles, 1));
  shape.computeVertexNormals();
  const skin = new three.MeshLambertMaterial({
    color: colours.accent, transparent: true, opacity: 0.45, side: three.DoubleSide, depthWrite: false,
  });
  return new three.Mesh(shape, skin);
}

// PAR at a place, evenly between the nodes of the grid around it, NaN where all of them lie in rock.
export function between(model, x, y, depth) {
  const { xs, ys, depths, water } = model.arrays;
  const at = (axis, value) => {
    const far = Math.min(axis.length - 1.001, Math.max(0, (value - axis[0]) / (axis[1] - axis[0])));
    return [Math.floor(far), far - Math.floor(far)];
  };
  const [[i, a], [j, b], [k, c]] = [at(xs, x), at(ys, y), at(depths, depth)];
  let [sum, weight] = [0, 0];
  for (let corner = 0; corner < 8; corner += 1) {
    const [di, dj, dk] = [corner & 1, (corner >> 1) & 1, corner >> 2];
    const value = water[((i + di) * ys.length + j + dj) * depths.length + k + dk];
    const share = (di ? a : 1 - a) * (dj ? b : 1 - b) * (dk ? c : 1 - c);
    if (!Number.isNaN(value) && share > 0) [sum, weight] = [sum + share * value, weight + share];
  }
  return weight > 0.3 ? sum / weight : NaN;
}

// A slice: a plane across the water in the colours of the bands, at a share of the way along its axis.
export function slice(three, model, axis, share, colours) {
  const { length, width, depth } = model.tank;
  const [wide, tall] = { plan: [length, width], front: [length, depth], side: [width, depth] }[axis];
  const picture = document.createElement("canvas");
  [picture.width, picture.height] = [Math.round(240 * Math.min(1, wide / tall)), Math.round(240 * Math.min(1, tall / wide))];
  const brush = picture.getContext("2d");
  const place = {
    plan: (u, v) => [u * length, (1 - v) * width, share * depth],
    front: (u, v) => [u * length, share * width, v * depth],
    side: (u, v) => [share * length, (1 - u) * width, v * depth],
  }[axis];
  for (let row = 0; row < picture.height; row += 1) {
    for (let column = 0; column < picture.width; column += 1) {
      const par = between(model, ...place((column + 0.5) / picture.width, (row + 0.5) / picture.height));
      const band = model.bands.find((one) => par >= one.low && par < (one.high ?? Infinity));
      if (!band) continue;
      brush.fillStyle = colours.bands[band.key];
      brush.fillRect(column, row, 1, 1);
    }
  }
  const map = new three.CanvasTexture(picture);
  map.colorSpace = three.SRGBColorSpace;
  const plane = new three.PlaneGeometry(wide, tall);
  if (axis === "plan") plane.rotateX(-Math.PI / 2);
  if (axis === "side") plane.rotateY(Math.PI / 2);
  const skin = new three.MeshBasicMaterial({ map, transparent: true, opacity: 0.9, side: three.DoubleSide });
  const found = new three.Mesh(plane, skin);
  found.position.set(...placed(model, ...place(0.5, 0.5)));
  return found;
}
