// All that pages ask of the server goes through here.

// Send what a hand has done, or ask for data where there is nothing to send. The answer with whether it was taken; the
// words of `silence` when none came, and then it is `silent`; `busy` when another program holds the record.
export async function talk(url, body, silence = "The application does not answer. Nothing was changed.") {
  const sent = body === undefined ? {} : { method: "POST", body: JSON.stringify(body) };
  try {
    const response = await fetch(url, { ...sent, headers: { "Content-Type": "application/json" } });
    return { ok: response.ok, busy: response.status === 503, answer: await response.json() };
  } catch {
    return { ok: false, silent: true, answer: { message: silence } };
  }
}

// The page at an address as a document, or null.
export async function readPage(url) {
  const response = await fetch(url);
  return response.ok ? new DOMParser().parseFromString(await response.text(), "text/html") : null;
}

// Other windows that show the same light hear that it was changed.
export function tellOthers() {
  const others = new BroadcastChannel("corlume-light");
  others.postMessage("changed");
  others.close();
}
