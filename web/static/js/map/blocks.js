// The user's blocks as commands of the finder: one gesture puts a block in, tied as its preview proposes.

const form = document.getElementById("put-block");

function put(number) {
  form.elements.base.value = document.getElementById("state").dataset.version;
  form.action = `${form.dataset.put}${number}/keep/`;
  form.submit();
}

// Asked for once, when the finder is used for the first time.
export async function blockCommands() {
  const answer = await fetch(form.dataset.names, { headers: { Accept: "application/json" } });
  if (!answer.ok) return [];
  const { blocks } = await answer.json();
  return blocks.map(({ number, name }) => ({ name: `Put in block ${name}`, run: () => put(number) }));
}
