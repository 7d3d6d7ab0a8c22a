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

// ask fetches a URL and returns the answer as read by make, by default as JSON.
// The error has unanswered set if no complete answer arrived.
export async function ask(url, init, make = (answer) => answer.json()) {
  try {
    const answer = await fetch(url, init);
    if (answer.ok) return await make(answer);
    const t = told(answer.status, await answer.text());
    throw Object.assign(new Error(t.text), { title: t.title });
  } catch (e) {
    if (!(e instanceof TypeError)) throw e;
    throw Object.assign(new Error(silence, { cause: e }), { unanswered: true });
  }
}

// post sends JSON, with the token that lets a page of Pyrant change things.
export const post = (body, csrf) => ({
  method: "POST",
  headers: { "Content-Type": "application/json", "X-CSRF-Token": csrf },
  body: JSON.stringify(body),
});
