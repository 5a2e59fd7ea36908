// Tells the console that a persona's sign-in has ended, then closes the window it was opened in.
const done = document.body.dataset.signedIn === 'true';
new BroadcastChannel('virga-sign-in').postMessage({ done });
if (done) setTimeout(() => window.close(), 600);
