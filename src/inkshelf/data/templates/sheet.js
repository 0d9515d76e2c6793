// The sheet without the program: ticks, notes and clocks stay in this page's own store, and are saved to a small file that the program takes in.
// Events are those of the job file ("work"); nothing is sent anywhere.
const CODE = "@code@", STORE = `inkshelf ${CODE}`;
let events = [];
try { events = JSON.parse(localStorage.getItem(STORE) || "[]"); } catch { events = []; }
const now = () => Math.floor(Date.now() / 1000);
const rows = [...document.querySelectorAll("tr[data-step]")];
document.documentElement.classList.add("js");

function add(...more) {
  events.push(...more);
  try { localStorage.setItem(STORE, JSON.stringify(events)); } catch { alert("This browser keeps nothing: save what was done now and then."); }
  draw();
}

// What the events come to, as the program counts it.
function worked(at) {
  const state = { steps: new Map(), running: "", paused: null, since: 0, begun: null };
  const step = (id) => { if (!state.steps.has(id)) state.steps.set(id, { stands: "open", why: "", seconds: 0, notes: [], found: {} }); return state.steps.get(id); };
  const pass = (moment) => {
    if (state.running && state.paused === null) step(state.running).seconds += Math.max(0, moment - state.since);
    state.since = state.running ? Math.max(state.since, moment) : moment;
  };
  for (const one of events) {
    pass(one.at);
    const of = one.step ? step(one.step) : null;
    if (one.kind === "began") { state.running = one.step; state.paused = null; state.since = one.at; state.begun ??= one.at; }
    if (one.kind === "paused" && state.running) state.paused = one.why;
    if (one.kind === "resumed") state.paused = null;
    if (one.kind === "ended") { of.stands = one.how; of.why = one.why; if (state.running === one.step) { state.running = ""; state.paused = null; } }
    if (one.kind === "reopened") { of.stands = "open"; of.why = ""; }
    if (one.kind === "measured") of.found[one.what] = one.value;
    if (one.kind === "noted") of.notes.push(one.text);
  }
  pass(at);
  return state;
}

const clock = (s) => `${s >= 3600 ? `${Math.floor(s / 3600)}:` : ""}${String(Math.floor(s / 60) % 60).padStart(s >= 3600 ? 2 : 1, "0")}:${String(s % 60).padStart(2, "0")}`;
const line = (text) => text.replace(/[\u0000-\u001f\u007f-\u009f\u2028\u2029]+/g, " ").trim().slice(0, 4000);
const OVER = new Set(["done", "otherwise", "skipped"]), SIGNS = { done: "✓", otherwise: "≈", skipped: "–", failed: "✗", open: "" };

function draw() {
  const state = worked(now());
  for (const row of rows) {
    const one = state.steps.get(row.dataset.step) || { stands: "open", why: "", seconds: 0, notes: [], found: {} };
    const box = row.querySelector(".box span");
    box.textContent = SIGNS[one.stands];
    box.setAttribute("role", "checkbox");
    box.setAttribute("aria-checked", String(OVER.has(one.stands)));
    row.classList.toggle("over", OVER.has(one.stands));
    row.classList.toggle("now", state.running === row.dataset.step);
    row.querySelector(".begin").textContent = state.running === row.dataset.step ? clock(one.seconds) : one.seconds ? `Begin again (${clock(one.seconds)})` : "Begin";
    const noted = row.querySelector(".noted");
    noted.replaceChildren(...[...(one.why ? [`${one.stands}: ${one.why}`] : []), ...one.notes].map((text) => { const made = document.createElement("div"); made.textContent = text; return made; }));
    for (const input of row.querySelectorAll("[data-found]")) if (input !== document.activeElement) input.value = one.found[input.dataset.found] || "";
  }
  const whole = [...state.steps.values()].reduce((sum, one) => sum + one.seconds, 0);
  const over = rows.filter((row) => OVER.has((state.steps.get(row.dataset.step) || {}).stands)).length;
  document.getElementById("clock").textContent = clock(whole);
  document.getElementById("about").textContent = `${over} of ${rows.length} steps${state.paused === null ? "" : `, stands: ${state.paused || "no reason"}`}`;
  document.getElementById("pause").textContent = state.paused === null ? "Pause…" : "Go on";
  document.getElementById("pause").disabled = !state.running;
}

function end(row, how, why) {
  const state = worked(now()), at = now(), place = rows.indexOf(row), later = rows[place + 1];
  const more = [{ kind: "ended", at, step: row.dataset.step, how, why, of: row.dataset.of, minutes: null }];
  if (state.running === row.dataset.step && how !== "failed" && later) more.push({ kind: "began", at, step: later.dataset.step });
  add(...more);
}

for (const row of rows) {
  const step = row.dataset.step;
  row.querySelector(".box span").addEventListener("click", () => {
    const one = worked(now()).steps.get(step);
    if (one && one.stands !== "open") add({ kind: "reopened", at: now(), step }); else end(row, "done", "");
  });
  row.querySelector(".begin").addEventListener("click", () => add({ kind: "began", at: now(), step }));
  row.querySelector(".how").addEventListener("change", (event) => {
    const how = event.target.value;
    event.target.value = "";
    const why = line(prompt({ failed: "What happened?", skipped: "Why is it left out?", otherwise: "How was it done?" }[how]) || "");
    if (why) end(row, how, why);
  });
  row.querySelector(".note").addEventListener("click", () => {
    const text = line(prompt("Note") || "");
    if (text) add({ kind: "noted", at: now(), step, text });
  });
  for (const input of row.querySelectorAll("[data-found]"))
    input.addEventListener("change", () => add({ kind: "measured", at: now(), step, what: input.dataset.found, value: line(input.value) }));
}
document.getElementById("pause").addEventListener("click", () => {
  const state = worked(now());
  if (state.paused !== null) add({ kind: "resumed", at: now(), step: state.running });
  else add({ kind: "paused", at: now(), step: state.running, why: line(prompt("What is waited for?") || "") });
});
document.getElementById("keep").addEventListener("click", () => {
  const made = document.createElement("a");
  made.href = URL.createObjectURL(new Blob([JSON.stringify({ format: "inkshelf-work", version: 1, code: CODE, events })], { type: "application/json" }));
  made.download = `${CODE.split(":")[2]}.work.json`;
  made.click();
  URL.revokeObjectURL(made.href);
});
draw();
setInterval(draw, 1000);
