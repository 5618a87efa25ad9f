const people = ["marit", "tobias", "ines", "odd"];

/** The page on which somebody signs in and allows, or does not; nothing is loaded from elsewhere. */
export function identityPage(uid: string, prompt: string, client: string, scope: string): string {
  const choices = people.map((who) => `<option value="${who}">${who}</option>`).join("");
  const scopes = scope
    .split(" ")
    .filter(Boolean)
    .map((one) => `<li><code>${escaped(one)}</code></li>`)
    .join("");
  return `<!doctype html>
<html lang="en">
<meta charset="utf-8">
<title>Larkspur identity</title>
<style>
  body { font: 16px/1.5 sans-serif; max-width: 30rem; margin: 4rem auto; padding: 0 1rem; }
  button, select { font: inherit; padding: 0.3rem 0.8rem; }
</style>
<h1>Larkspur identity</h1>
<p>A stand-in: nobody's password is asked for. (${escaped(prompt)})</p>
<p><b>${escaped(client)}</b> asks for:</p>
<ul>${scopes}</ul>
<form method="post" action="/interaction/${escaped(uid)}">
  <p><label>Sign in as <select name="who">${choices}</select></label></p>
  <button name="answer" value="allow">Allow</button>
  <button name="answer" value="refuse">Refuse</button>
</form>
</html>`;
}

function escaped(text: string): string {
  return text.replace(/[&<>"']/g, (character) => `&#${character.charCodeAt(0)};`);
}
