// Draws the layers with the drawing library, on demand; answers what is under the pointer.
import {Camera} from 'halvo/camera';
const THREE = window.THREE;

const shared = `
  uniform sampler2D parts; uniform float partRows, explode, moveScale;
  attribute float part, id; attribute vec3 move;
  varying vec3 at; varying float state;
  vec4 partOf() { return texture2D(parts, vec2((mod(part, 1024.0) + 0.5) / 1024.0, (floor(part / 1024.0) + 0.5) / partRows)); }
`;
const cutAway = `
  uniform vec4 plane; uniform float cutting;
  varying vec3 at; varying float state;
  void cutAway() { if (state < 0.5 || (cutting > 0.5 && dot(at, plane.xyz) > plane.w)) discard; }
`;
const surfaceVertex = shared + `
  attribute vec4 rim; attribute float value, mark;
  varying vec4 rims; varying float v, marked; varying vec3 seen;
  void main() {
    vec4 p = partOf();
    state = p.a;
    at = position + move * moveScale + p.rgb * explode;
    rims = rim, v = value, marked = mark;
    vec4 m = modelViewMatrix * vec4(at, 1.0);
    seen = m.xyz;
    gl_Position = projectionMatrix * m;
  }`;
const surfaceFragment = cutAway + `
  uniform sampler2D ramp; uniform float lines, opacity, steps; uniform vec3 neutral, ink, chosen;
  varying vec4 rims; varying float v, marked; varying vec3 seen;
  void main() {
    cutAway();
    vec3 n = normalize(cross(dFdx(seen), dFdy(seen)));
    if (n.z < 0.0) n = -n;
    vec3 c = v < -0.5 ? neutral : texture2D(ramp, vec2(steps > 0.0 ? (floor(v * steps) + 0.5) / steps : v * 0.984 + 0.008, 0.5)).rgb;
    c *= 0.60 + 0.42 * max(0.0, dot(n, normalize(vec3(-0.35, 0.55, 1.0))));
    if (state > 1.5 || marked > 0.5) {
      float stripe = mod(gl_FragCoord.x + gl_FragCoord.y, 10.0) < 4.0 ? 0.85 : 0.45;
      c = mix(c, chosen, stripe);
    }
    if (lines > 0.0) {
      vec4 w = fwidth(rims), d = rims / max(w, vec4(1e-6));
      float near = min(min(d.x, d.y), min(d.z, d.w)), dense = max(max(w.x, w.y), max(w.z, w.w));
      c = mix(c, ink, lines * (1.0 - smoothstep(0.4, 1.2, near)) * (1.0 - smoothstep(0.4, 0.9, dense)));
    }
    gl_FragColor = vec4(c, opacity);
  }`;
const ribbonVertex = shared + `
  uniform vec2 size; uniform float lift;
  attribute vec3 other, colour, moveOther; attribute vec2 side; attribute float width, dash;
  varying vec3 tint; varying float along, dashes;
  void main() {
    vec4 p = partOf();
    state = p.a;
    vec3 a = position + move * moveScale + p.rgb * explode, b = other + moveOther * moveScale + p.rgb * explode;
    at = side.x < 0.5 ? a : b;
    vec4 pa = projectionMatrix * modelViewMatrix * vec4(a, 1.0), pb = projectionMatrix * modelViewMatrix * vec4(b, 1.0);
    vec2 d = (pb.xy - pa.xy) * size;
    float l = length(d);
    d = l > 1e-6 ? d / l : vec2(1.0, 0.0);
    vec4 q = side.x < 0.5 ? pa : pb;
    q.xy += (side.y * vec2(-d.y, d.x) * (width + (state > 1.5 ? 3.0 : 0.0)) + (side.x * 2.0 - 1.0) * d * min(width, 2.0) * 0.5) / size;
    q.z -= lift;
    along = side.x * l * 0.5, dashes = dash, tint = colour;
    gl_Position = q;
  }`;
const ribbonFragment = cutAway + `
  uniform vec3 chosen; uniform float inDark;
  varying vec3 tint; varying float along, dashes;
  void main() {
    cutAway();
    if (dashes > 0.5 && mod(along, 2.0 * dashes) > dashes) discard;
    vec3 c = state > 1.5 ? chosen : tint;
    if (inDark > 0.5 && max(c.r, max(c.g, c.b)) < 0.45) c = mix(c, vec3(0.93), 0.55);
    gl_FragColor = vec4(c, 1.0);
  }`;
const idOut = `
  varying float code;
  void main() {
    cutAway();
    float i = floor(code + 0.5);
    gl_FragColor = vec4(mod(i, 256.0), mod(floor(i / 256.0), 256.0), floor(i / 65536.0), 255.0) / 255.0;
  }`;

// A coarse stand-in of many triangles, on the same corners: those of one part that lie in one cell become the first of them; what is left of
// triangles then is what spans three cells (Rossignac and Borrel, 1993).
function coarser({position, part, index}, cell) {
  const n = part.length, mask = (1 << Math.ceil(Math.log2(2 * n + 1))) - 1, slot = new Int32Array(mask + 1).fill(-1), first = new Uint32Array(n);
  const at = (i, k) => Math.floor(position[3 * i + k] / cell);
  for (let i = 0; i < n; ++i) {
    const x = at(i, 0), y = at(i, 1), z = at(i, 2);
    let h = (Math.imul(x, 73856093) ^ Math.imul(y, 19349663) ^ Math.imul(z, 83492791) ^ Math.imul(part[i], 2654435761)) & mask;
    for (;; h = (h + 1) & mask) {
      const j = slot[h];
      if (j < 0) { slot[h] = i, first[i] = i; break; }
      if (part[j] === part[i] && at(j, 0) === x && at(j, 1) === y && at(j, 2) === z) { first[i] = j; break; }
    }
  }
  const out = [];
  for (let t = 0; t < index.length; t += 3) {
    const a = first[index[t]], b = first[index[t + 1]], c = first[index[t + 2]];
    if (a !== b && b !== c && c !== a) out.push(a, b, c);
  }
  return Uint32Array.from(out);
}
const many = 100000;  // triangles from which on a layer has a stand-in while it moves and frames come late
const cells = 260;    // of it over the model: a few pixels each

const attributes = {position: 3, other: 3, part: 1, id: 1, rim: 4, colour: 3, side: 2, width: 1, dash: 1};

function geometryOf(arrays, corners) {
  const g = new THREE.BufferGeometry();
  for (const [name, size] of Object.entries(attributes))
    if (arrays[name] && arrays[name].length) g.setAttribute ? g.setAttribute(name, new THREE.BufferAttribute(arrays[name], size, name === 'rim')) : g.addAttribute(name, new THREE.BufferAttribute(arrays[name], size, name === 'rim'));
  g.setIndex(new THREE.BufferAttribute(arrays.index, 1));
  for (const [name, size] of Object.entries(corners)) put(g, name, new Float32Array(size * arrays.part.length), size);
  g.boundingSphere = new THREE.Sphere(new THREE.Vector3(), 1e12);
  return g;
}
function put(geometry, name, array, size) {
  const a = new THREE.BufferAttribute(array, size);
  geometry.setAttribute ? geometry.setAttribute(name, a) : geometry.addAttribute(name, a);
}

export class Scene {
  constructor(canvas, content, parts, palette) {
    this.canvas = canvas, this.content = content, this.parts = parts, this.palette = palette;
    const context = canvas.getContext('webgl2', {antialias: false, preserveDrawingBuffer: true}) || canvas.getContext('webgl', {antialias: false, preserveDrawingBuffer: true});
    if (!context) throw new Error('this browser draws no scenes (WebGL is off); the lists below still need it, the pictures do not');
    this.renderer = new THREE.WebGLRenderer({canvas, context, antialias: false});
    this.renderer.setPixelRatio(1);
    this.scene = new THREE.Scene();
    this.eye = new THREE.OrthographicCamera(-1, 1, 1, -1, -1, 1);
    this.layers = new Map();
    this.after = [];
    this.camera = new Camera((moving) => this.redraw(moving));
    this.radius = content.span;
    this.exploded = 0;
    this.makeParts();
    const colour = (hex) => new THREE.Color(hex);
    this.uniforms = {
      parts: {value: this.partTexture}, partRows: {value: this.partRows}, explode: {value: 0}, moveScale: {value: 0}, plane: {value: new THREE.Vector4(0, 0, 1, 0)},
      cutting: {value: 0}, ramp: {value: null}, steps: {value: 0}, neutral: {value: colour(palette.neutral)}, ink: {value: colour(palette.ink)},
      chosen: {value: colour(palette.four_sheets)}, size: {value: new THREE.Vector2(1, 1)}, inDark: {value: 0},
    };
    this.ramp(palette.field, 0);
    this.target = new THREE.WebGLRenderTarget(1, 1);
    new ResizeObserver(() => this.resize()).observe(canvas.parentElement);
    this.resize();
  }

  // One row of numbers a part: where it moves to when bodies stand apart, and whether it is hidden (0), seen (1) or chosen (2).
  makeParts() {
    const n = this.parts.count;
    this.partRows = Math.max(1, Math.ceil(n / 1024));
    this.partData = new Float32Array(4 * 1024 * this.partRows);
    const box = this.content.summary.bodies.map((b) => (b.box ? b.box.map(this.content.local) : null));
    for (let p = 0; p < n; ++p) {
      const b = box[this.parts.bodyOf(p)];
      for (let k = 0; k < 3; ++k) this.partData[4 * p + k] = b ? (b[0][k] + b[1][k]) / 2 : 0;
      this.partData[4 * p + 3] = 1;
    }
    this.partTexture = new THREE.DataTexture(this.partData, 1024, this.partRows, THREE.RGBAFormat, THREE.FloatType);
    this.partTexture.minFilter = this.partTexture.magFilter = THREE.NearestFilter;
    if (this.renderer.capabilities.isWebGL2) this.partTexture.internalFormat = 'RGBA32F';
    else this.renderer.getContext().getExtension('OES_texture_float');
    this.partTexture.needsUpdate = true;
  }
  setParts(state) {
    for (let p = 0; p < this.parts.count; ++p) this.partData[4 * p + 3] = state(p);
    this.partTexture.needsUpdate = true;
    this.redraw();
  }

  ramp(colours, steps) {
    const n = colours.length, data = new Uint8Array(4 * n);
    colours.forEach((h, i) => data.set([parseInt(h.slice(1, 3), 16), parseInt(h.slice(3, 5), 16), parseInt(h.slice(5, 7), 16), 255], 4 * i));
    const t = new THREE.DataTexture(data, n, 1, THREE.RGBAFormat);
    t.minFilter = t.magFilter = steps ? THREE.NearestFilter : THREE.LinearFilter;
    t.needsUpdate = true;
    if (this.uniforms.ramp.value) this.uniforms.ramp.value.dispose();
    this.uniforms.ramp.value = t, this.uniforms.steps.value = steps;
  }

  // A layer that is made once it is shown; `make` gives its arrays.
  define(name, kind, make, options = {}) {
    this.layers.set(name, {kind, make, options, mesh: null});
    if (options.visible) this.show(name, true);
  }
  build(name) {
    const l = this.layers.get(name);
    if (!l || l.mesh) return false;
    if (l.kind === 'surface') this.addSurface(name, l.make(), l.options);
    else this.addRibbons(name, l.make(), l.options);
    return true;
  }
  addSurface(name, arrays, options = {}) {
    const own = {lines: {value: options.lines || 0}, opacity: {value: options.opacity || 1}};
    const make = (vertex, fragment, more) => new THREE.ShaderMaterial({
      uniforms: {...this.uniforms, ...own}, vertexShader: vertex, fragmentShader: fragment, side: THREE.DoubleSide, extensions: {derivatives: true},
      polygonOffset: true, polygonOffsetFactor: 1.5, polygonOffsetUnits: 1.5, ...more});
    const g = geometryOf(arrays, {value: 1, mark: 1, move: 3});
    const mesh = new THREE.Mesh(g, make(surfaceVertex, surfaceFragment, {transparent: own.opacity.value < 1, depthWrite: own.opacity.value >= 1}));
    const picked = make(surfaceVertex.replace('void main() {', 'varying float code;\n void main() { code = id;'), cutAway + idOut, {});
    this.keep(name, mesh, picked, arrays, {own, surface: true, ...options});
  }
  addRibbons(name, arrays, options = {}) {
    const own = {lift: {value: options.lift || 2e-5}};
    const make = (vertex, fragment) => new THREE.ShaderMaterial({uniforms: {...this.uniforms, ...own}, vertexShader: vertex, fragmentShader: fragment, side: THREE.DoubleSide, depthTest: !options.onTop});
    const g = geometryOf(arrays, {});
    const mesh = new THREE.Mesh(g, make(ribbonVertex, ribbonFragment));
    const picked = make(ribbonVertex.replace('void main() {', 'varying float code;\n void main() { code = id;').replace('* (width +', '* (width + 6.0 +'), cutAway + idOut);
    this.keep(name, mesh, picked, arrays, {own, ...options});
  }
  keep(name, mesh, picked, arrays, options) {
    const old = this.layers.get(name);
    if (old && old.mesh) this.scene.remove(old.mesh), old.mesh.geometry.dispose();
    mesh.frustumCulled = false, mesh.renderOrder = options.order || 0;
    mesh.visible = old && old.mesh ? old.mesh.visible : Boolean(options.visible);
    this.scene.add(mesh);
    this.layers.set(name, {mesh, drawn: mesh.material, picked, arrays, ...options});
  }
  // True where the layer was made just now: it has no colours yet.
  show(name, on) {
    const made = on && this.build(name), l = this.layers.get(name);
    if (l && l.mesh) l.mesh.visible = on;
    this.redraw();
    return made;
  }
  shown(name) { const l = this.layers.get(name); return Boolean(l && l.mesh && l.mesh.visible); }
  // Values of the corners of a surface, 0 to 1, or -1 for the neutral colour.
  colour(name, value) {
    const l = this.layers.get(name);
    if (!l || !l.mesh) return;
    const a = l.mesh.geometry.attributes.value, n = a.array.length;
    for (let i = 0; i < n; ++i) a.array[i] = value(i, l.arrays);
    a.needsUpdate = true;
    this.redraw();
  }
  // Colours of ribbons, one a segment.
  tint(name, of) {
    const l = this.layers.get(name);
    if (!l || !l.mesh) return;
    const a = l.mesh.geometry.attributes.colour;
    for (let i = 0; i < l.arrays.count; ++i) { const c = of(i); for (let k = 0; k < 4; ++k) a.array.set(c, 12 * i + 3 * k); }
    a.needsUpdate = true;
    this.redraw();
  }
  mark(name, chosen) {
    const l = this.layers.get(name);
    if (!l || !l.mesh) return;
    const a = l.mesh.geometry.attributes.mark;
    for (let i = 0; i < a.array.length; ++i) a.array[i] = chosen(l.arrays, i) ? 1 : 0;
    a.needsUpdate = true;
    this.redraw();
  }
  // Displacements of nodes (a step and whole numbers of it), for everything whose corners are nodes.
  movement(steps, step) {
    for (const l of this.layers.values()) {
      if (!l.moves || !l.mesh) continue;
      const g = l.mesh.geometry;
      if (l.surface) {
        const a = g.attributes.move, node = l.arrays.node;
        for (let i = 0; i < node.length; ++i) for (let k = 0; k < 3; ++k) a.array[3 * i + k] = steps.length ? step * steps[3 * node[i] + k] : 0;
        a.needsUpdate = true;
        continue;
      }
      const n = l.arrays.count, first = new Float32Array(12 * n), last = new Float32Array(12 * n);
      for (let i = 0; i < n && steps.length; ++i)
        for (let c = 0; c < 4; ++c)
          for (let k = 0; k < 3; ++k) {
            const a = l.arrays.nodes[2 * i], b = l.arrays.nodes[2 * i + 1];
            if (a !== 0xffffffff) first[12 * i + 3 * c + k] = step * steps[3 * a + k], last[12 * i + 3 * c + k] = step * steps[3 * b + k];
          }
      put(g, 'move', first, 3), put(g, 'moveOther', last, 3);
    }
    this.redraw();
  }

  resize() {
    const box = this.canvas.parentElement.getBoundingClientRect();
    this.width = Math.max(1, Math.floor(box.width)), this.height = Math.max(1, Math.floor(box.height));
    // At rest twice as fine as the screen, which smooths edges; while it moves as fine as the machine keeps up with.
    this.ratios = [Math.max(2, window.devicePixelRatio || 1), 1, 0.5, 0.5];
    this.ratio = 1, this.renderer.setPixelRatio(1), this.renderer.setSize(this.width, this.height, false);
    this.level = this.level ?? 0;
    this.redraw(true);
  }
  setRatio(ratio) {
    if (ratio === this.ratio) return;
    this.ratio = ratio, this.renderer.setPixelRatio(ratio), this.renderer.setSize(this.width, this.height, false);
  }
  // Where a place of the scene is on the screen, in pixels.
  project(p) {
    const {right, up} = this.camera.axes(), v = this.camera.view, s = this.height / v.span;
    let x = 0, y = 0;
    for (let k = 0; k < 3; ++k) x += right[k] * (p[k] - v.target[k]), y += up[k] * (p[k] - v.target[k]);
    return [this.width / 2 + s * x, this.height / 2 - s * y];
  }
  setEye() {
    const {right, up, toward} = this.camera.axes(), v = this.camera.view, h = v.span / 2, w = h * this.width / this.height;
    const depth = 3 * this.radius * (1 + this.uniforms.explode.value) + v.span;
    Object.assign(this.eye, {left: -w, right: w, top: h, bottom: -h, near: 0, far: 2 * depth});
    this.eye.updateProjectionMatrix();
    const m = new THREE.Matrix4(), p = v.target.map((t, k) => t + depth * toward[k]);
    m.set(right[0], up[0], toward[0], p[0], right[1], up[1], toward[1], p[1], right[2], up[2], toward[2], p[2], 0, 0, 0, 1);
    this.eye.matrixAutoUpdate = false, this.eye.matrix.copy(m), this.eye.matrixWorld.copy(m);
    this.eye.matrixWorldInverse.getInverse ? this.eye.matrixWorldInverse.getInverse(m) : this.eye.matrixWorldInverse.copy(m).invert();
    this.eye.parent = null, this.eye.updateMatrixWorld = () => {};
    this.uniforms.size.value.set(this.width, this.height);
  }
  // While something moves and frames come late, it is drawn in fewer pixels; what stands still is drawn in all of them.
  redraw(moving = false) {
    this.moving = moving || this.moving;
    if (this.waiting) return;
    this.waiting = true;
    requestAnimationFrame((now) => {
      this.waiting = false;
      const gap = now - (this.lastFrame || 0), running = this.moving && this.wasMoving;
      this.wasMoving = this.moving;
      if (running && gap > 42 ) this.level = Math.min(this.ratios.length - 1, this.level + 1);
      if (running && gap < 20 && this.level > 0 && ++this.calm > 30) --this.level, this.calm = 0;
      if (gap > 20) this.calm = 0;
      this.setRatio(this.moving ? this.ratios[this.level] : this.ratios[0]);
      this.standIn(this.moving && this.level === 3);
      this.draw();
      this.lastFrame = now;
      clearTimeout(this.settle);
      if (this.moving) this.settle = setTimeout(() => this.redraw(), 180);
      this.moving = false;
      for (const f of this.after) f();
    });
  }
  standIn(on) {
    for (const l of this.layers.values()) {
      if (!l.surface || !l.mesh || l.arrays.index.length < 3 * many || (on && !l.mesh.visible)) continue;
      if (on && !l.coarse) l.coarse = new THREE.BufferAttribute(coarser(l.arrays, this.radius / cells), 1), l.whole = l.mesh.geometry.index;
      if (!l.coarse || on === Boolean(l.standsIn)) continue;
      l.standsIn = on, l.mesh.geometry.index = on ? l.coarse : l.whole;
      if (on) l.lines = l.own.lines.value;
      l.own.lines.value = on ? 0 : l.lines;
    }
  }
  draw() {
    this.setEye();
    const style = getComputedStyle(document.documentElement);
    this.renderer.setClearColor(new THREE.Color(style.getPropertyValue('--paper').trim() || '#fbfbfa'), 1);
    this.renderer.render(this.scene, this.eye);
  }
  // Milliseconds a frame of a number of turned ones, each waited for; with nothing in the scene, for comparison; `coarse`: as drawn where frames come late.
  async time(frames, empty = false, coarse = false) {
    const gl = this.renderer.getContext(), pixel = new Uint8Array(4), kept = this.scene, start = performance.now();
    if (empty) this.scene = new THREE.Scene();
    this.setRatio(coarse ? 0.5 : 1), this.standIn(coarse);
    for (let i = 0; i < frames; ++i) {
      this.camera.view.azimuth += 2;
      this.draw();
      gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, pixel);
    }
    this.scene = kept, this.camera.view.azimuth -= 2 * frames, this.standIn(false);
    const ms = (performance.now() - start) / frames;
    this.redraw();
    return ms;
  }

  // Numbers of what is seen in a box of pixels: 0 nothing, else the ids given to corners.
  ids(x, y, w, h) {
    this.setEye();
    this.target.setSize(w, h);
    this.eye.setViewOffset(this.width, this.height, x, y, w, h);
    this.uniforms.size.value.set(w, h);
    const hidden = [];
    const made = [...this.layers.values()].filter((l) => l.mesh);
    for (const l of made) {
      l.mesh.material = l.picked;
      if (l.mesh.visible && !l.picks) hidden.push(l.mesh), l.mesh.visible = false;
    }
    this.renderer.setRenderTarget(this.target);
    this.renderer.setClearColor(new THREE.Color(0), 0), this.renderer.clear();
    this.renderer.render(this.scene, this.eye);
    const pixels = new Uint8Array(4 * w * h);
    this.renderer.readRenderTargetPixels(this.target, 0, 0, w, h, pixels);
    this.renderer.setRenderTarget(null);
    for (const l of made) l.mesh.material = l.drawn;
    for (const m of hidden) m.visible = true;
    this.eye.clearViewOffset();
    const out = new Uint32Array(w * h);
    for (let i = 0; i < w * h; ++i) out[i] = pixels[4 * i + 3] ? pixels[4 * i] + 256 * pixels[4 * i + 1] + 65536 * pixels[4 * i + 2] : 0;
    return out;
  }
  idAt(x, y) {
    const r = 3, seen = this.ids(Math.round(x) - r, Math.round(y) - r, 2 * r + 1, 2 * r + 1), order = [...seen.keys()];
    order.sort((a, b) => Math.hypot(a % 7 - r, (a - a % 7) / 7 - r) - Math.hypot(b % 7 - r, (b - b % 7) / 7 - r));
    for (const i of order) if (seen[i]) return seen[i];
    return 0;
  }
}
