// Tells the console that a sign-in has ended, then closes the window it was opened in.
const end = (done) => {
  new BroadcastChannel('virga-sign-in').postMessage({ done });
  if (done) setTimeout(() => window.close(), 600);
};

// The implicit grant answers behind the hash, which no server sees: it is sent on and taken out of the history.
const sendFragment = async () => {
  const fragment = location.hash.slice(1);
  history.replaceState(null, '', location.pathname);
  const answer = await fetch(location.pathname, { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify({ fragment }) });
  const page = new DOMParser().parseFromString(await answer.text(), 'text/html');
  for (const name of ['h1', 'p']) document.querySelector(name).textContent = page.querySelector(name)?.textContent ?? '';
  end(page.body.dataset.state === 'done');
};

if (document.body.dataset.state === 'fragment') void sendFragment();
else end(document.body.dataset.state === 'done');
