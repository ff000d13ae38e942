"use strict";
const main = document.querySelector("main[data-live]");
const word = document.getElementById("word");
let heard = Date.now(), source, ended = false;

function listen() {
  source = new EventSource(main.dataset.live);
  source.onmessage = () => { heard = Date.now(); word.textContent = ""; };
  source.addEventListener("clock", (event) => {
    source.onmessage();
    document.getElementById("clock").textContent = event.data;
  });
  source.addEventListener("panes", (event) => {
    source.onmessage();
    for (const [id, html] of Object.entries(JSON.parse(event.data))) {
      const pane = document.getElementById(id);
      if (pane) pane.innerHTML = html;
    }
  });
  source.addEventListener("anew", () => location.reload());
  source.addEventListener("gone", leave);
  source.onerror = () => {
    // The browser tries again by itself, except where it was answered with an error.
    if (source.readyState !== EventSource.CLOSED || ended) return;
    const again = () => setTimeout(listen, 3000);
    fetch(location.pathname, { cache: "no-store" })
      .then((answer) => (answer.status === 403 ? leave() : again()), again);
  };
}

function leave() {
  ended = true;
  source.close();
  word.textContent = main.dataset.gone;
  document.querySelectorAll(".pane").forEach((pane) => pane.replaceChildren());
}

if (main) {
  listen();
  setInterval(() => {
    const age = Math.round((Date.now() - heard) / 1000);
    if (!ended && age > 15) word.textContent = `${main.dataset.lost} ${age < 120 ? age + " s" : Math.round(age / 60) + " min"}`;
  }, 1000);
}
