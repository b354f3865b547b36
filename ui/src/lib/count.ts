/** How many there are, with the noun that fits: "1 note", "3 notes". */
export const count = (n: number, one: string, many = `${one}s`) =>
  n === 1 ? `1 ${one}` : `${n.toLocaleString('en-GB')} ${many}`;
