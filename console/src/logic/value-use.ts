/** Something that can be made of a value in a tree, besides putting it into a field. */
export interface ValueUse {
  label: string;
  title: string;
  run: () => void;
}
