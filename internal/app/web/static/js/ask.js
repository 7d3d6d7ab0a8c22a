// Asking Pyrant for JSON, with one way to fail: an error that says in a sentence
// what went wrong.
const silence = "Pyrant does not answer. Check that it is running, then try again.";

// told reads what an answer that is no success says, from its text.
export function told(status, text) {
  try {
    const t = JSON.parse(text);
    return { status, title: t.title ?? "Failed", text: t.error ?? `Unexpected answer ${status}. Try again.` };
  } catch {
    // Not from Pyrant: the status says what there is to say.
    return { status, title: "Failed", text: status ? `Unexpected answer ${status}. Try again.` : silence };
  }
}

// ask fetches a URL and returns what make makes of the answer, JSON unless said
// otherwise.
export async function ask(url, init, make = (answer) => answer.json()) {
  const answer = await fetch(url, init).catch((e) => {
    if (e.name === "AbortError") throw e;
    throw new Error(silence);
  });
  if (!answer.ok) {
    const t = told(answer.status, await answer.text().catch(() => ""));
    throw Object.assign(new Error(t.text), { title: t.title });
  }
  return make(answer);
}

// post sends JSON, with the token that lets a page of Pyrant change things.
export const post = (body, csrf) => ({
  method: "POST",
  headers: { "Content-Type": "application/json", "X-CSRF-Token": csrf },
  body: JSON.stringify(body),
});
