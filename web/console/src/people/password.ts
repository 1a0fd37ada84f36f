const letters = "abcdefghijklmnopqrstuvwxyz234567";
const length = 16; // letters of base 32: 80 bits

/** Makes a password up, in groups that can be copied by hand. */
export function madePassword(): string {
  const random = crypto.getRandomValues(new Uint8Array(length));
  const text = [...random].map((n) => letters[n % letters.length]).join("");
  return text.replace(/(.{4})(?=.)/g, "$1-");
}
