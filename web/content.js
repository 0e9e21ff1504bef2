// What the page holds: lists as JSON, and arrays of numbers.
const types = {f32: Float32Array, u32: Uint32Array, i32: Int32Array, i16: Int16Array, u16: Uint16Array, u8: Uint8Array};

export function unpack(bytes) {
  const length = new DataView(bytes.buffer, bytes.byteOffset).getUint32(0, true);
  const content = JSON.parse(new TextDecoder().decode(bytes.subarray(4, 4 + length)));
  if (content.format !== 'halvo-page' || content.version !== 1) throw new Error('the content is of another kind than this page');
  const start = bytes.byteOffset + 4 + length;
  const none = {f32: new Float32Array(0)};
  content.array = (name) => {
    const a = content.arrays[name];
    return a ? new types[a.type](bytes.buffer, start + a.at, a.count) : none.f32;
  };
  content.has = (name) => name in content.arrays;
  // Places are those of the file; the scene is drawn about its own origin.
  const o = content.scene.origin;
  content.local = (p) => [p[0] - o[0], p[1] - o[1], p[2] - o[2]];
  content.global = (p) => [p[0] + o[0], p[1] + o[1], p[2] + o[2]];
  content.span = Math.hypot(...content.scene.size) || 1;
  return content;
}

// Figures as people read them: four digits that count, no needless ones.
export function figure(v, digits = 4) {
  if (v === null || v === undefined || Number.isNaN(v)) return '';
  if (v === 0) return '0';
  const a = Math.abs(v);
  if (a >= 1e7 || a < 1e-4) return v.toExponential(digits - 1);
  return String(Number(v.toPrecision(a >= 1000 ? Math.max(digits, Math.ceil(Math.log10(a))) : digits)));
}
export const percent = (v, digits = 3) => (v >= 0 ? '+' : '') + (100 * v).toFixed(digits) + ' %';
export const placeText = (p) => '(' + p.map((v) => v.toFixed(1)).join(', ') + ')';
