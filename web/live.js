// The server behind the page: runs plan lines, tells how far it is, gives the new content. Only pages that know the token are answered.
export class Live {
  constructor() { this.token = new URLSearchParams(location.search).get('token') || ''; }
  async ask(path, options = {}) {
    let answer;
    try {
      answer = await fetch(path, {...options, headers: {'X-Halvo-Token': this.token, ...(options.headers || {})}});
    } catch {
      throw new Error('the server does not answer; is halvo report --serve still running?');
    }
    if (!answer.ok) throw new Error((await answer.text()).trim() || answer.statusText);
    return answer;
  }
  async wait(told) {
    for (;;) {
      const state = await (await this.ask('/state')).json();
      if (!state.busy) {
        if (state.failure) throw new Error(state.failure);
        return;
      }
      told(`${state.stage} ${Math.round(100 * state.share)} %`);
      await new Promise((done) => setTimeout(done, 150));
    }
  }
  async run(assignments, told) {
    await this.ask('/run', {method: 'POST', headers: {'Content-Type': 'application/json'}, body: JSON.stringify({set: assignments})});
    await this.wait(told);
    return this.content();
  }
  async back(told) {
    await this.ask('/back', {method: 'POST'});
    await this.wait(told);
    return this.content();
  }
  async content() { return new Uint8Array(await (await this.ask('/content')).arrayBuffer()); }
}
