// Paths that name items of lists by their ids, such as /lights/id:k3f/gel/hue: they lead to the same
// item wherever it stands by then.

const unescaped = (name) => name.replaceAll("~1", "/").replaceAll("~0", "~");
const escaped = (name) => name.replaceAll("~", "~0").replaceAll("/", "~1");

// names takes a path apart.
export const names = (path) => path.split("/").slice(1).map(unescaped);

// index gives where in a list an element is that a name in a path names; -1 for nowhere.
export const index = (list, name) =>
  name.startsWith("id:") ? list.findIndex((item) => item?.id === name.slice(3)) : Number(name);

const below = (v, name) => (Array.isArray(v) ? v[index(v, name)] : v?.[name]);

// valueAt gives what stands at a path of a value; undefined for nothing.
export const valueAt = (root, path, child = below) => names(path).reduce((v, name) => child(v, name), root);

// byID gives a path of a value with positions of items that have ids replaced by these. child(v, name) gives
// what is below a value.
export function byID(root, path, child = below) {
  let v = root;
  return names(path)
    .map((name) => {
      const item = child(v, name);
      const named = Array.isArray(v) && item?.id && !name.startsWith("id:") ? `id:${item.id}` : name;
      v = item;
      return `/${escaped(named)}`;
    })
    .join("");
}

// newID gives an id for an item that the page makes.
const letters = "23456789abcdefghjkmnpqrstuvwxyz";
export const newID = () =>
  `i${Array.from(crypto.getRandomValues(new Uint8Array(9)), (b) => letters[b % letters.length]).join("")}`;
