// Unpacks the modules and the content that stand in the page, and starts the page's own program.
(() => {
  'use strict';
  const fail = (text) => {
    const p = document.getElementById('failure');
    p.hidden = false, p.textContent = text;
  };
  const bytesOf = (base64) => {
    const text = atob(base64), bytes = new Uint8Array(text.length);
    for (let i = 0; i < text.length; ++i) bytes[i] = text.charCodeAt(i);
    return bytes;
  };
  const inflated = async (bytes) =>
    new Uint8Array(await new Response(new Blob([bytes]).stream().pipeThrough(new DecompressionStream('deflate'))).arrayBuffer());
  const addressOf = (bytes) => URL.createObjectURL(new Blob([bytes], {type: 'text/javascript'}));
  const run = async () => {
    if (typeof DecompressionStream === 'undefined') throw new Error('this browser cannot unpack the page; take a newer one');
    const addresses = {};
    await Promise.all([...document.querySelectorAll('script[data-module]')].map(async (s) => {
      addresses[s.dataset.module] = addressOf(await inflated(bytesOf(s.textContent)));
    }));
    performance.mark('modules unpacked');
    const imports = {};
    for (const [name, address] of Object.entries(addresses)) imports['halvo/' + name] = address;
    const map = document.createElement('script');
    map.type = 'importmap', map.textContent = JSON.stringify({imports});
    document.head.append(map);
    await new Promise((done, failed) => {
      const three = document.createElement('script');
      three.src = addresses.three, three.onload = done, three.onerror = () => failed(new Error('the drawing library cannot be started'));
      document.head.append(three);
    });
    performance.mark('drawing library started');
    const content = await inflated(bytesOf(document.getElementById('content').textContent));
    performance.mark('content unpacked');
    const {start} = await import('halvo/app');
    await start(content, inflated);
  };
  window.addEventListener('error', (e) => fail('The page has failed: ' + e.message));
  window.addEventListener('unhandledrejection', (e) => fail('The page has failed: ' + (e.reason && e.reason.message || e.reason)));
  run();
})();
