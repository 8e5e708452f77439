// Keys pressed before the page's scripts are loaded are replayed then. No module, so that it runs during parsing.
(() => {
  const ACTIONS = /^(Delete|Escape|Arrow\w+)$/;
  const MOST_MS = 15_000; // a page whose scripts failed to load does not swallow keys forever
  const waiting = [];

  // The browser's own keys (Tab, Enter on a button, typing) are left to it.
  function isDeed(event) {
    if (event.target.matches?.("input, textarea, select") || event.isComposing) return false;
    if (event.ctrlKey || event.metaKey) return "zyk".includes(event.key.toLowerCase());
    if (event.target.matches?.(".box") && ["Enter", " "].includes(event.key)) return true;
    return ACTIONS.test(event.key) || (event.key.length === 1 && event.key !== " ");
  }

  function keep(event) {
    if (!isDeed(event)) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    waiting.push(event);
  }

  function pass() {
    document.removeEventListener("keydown", keep, true);
    for (const { target, key, code, ctrlKey, shiftKey, altKey, metaKey } of waiting.splice(0)) {
      const how = { key, code, ctrlKey, shiftKey, altKey, metaKey, bubbles: true, cancelable: true };
      (target.isConnected ? target : document.body).dispatchEvent(new KeyboardEvent("keydown", how));
    }
  }

  // Scripts of a template's pages need its tables, and report when they are ready; all others have run by then.
  function wait() {
    if (!document.getElementById("state") || document.body.dataset.ready) return pass();
    const whenReady = new MutationObserver(() => document.body.dataset.ready && (whenReady.disconnect(), pass()));
    whenReady.observe(document.body, { attributeFilter: ["data-ready"] });
    return setTimeout(pass, MOST_MS);
  }

  document.addEventListener("keydown", keep, true);
  document.addEventListener("DOMContentLoaded", wait);
})();
