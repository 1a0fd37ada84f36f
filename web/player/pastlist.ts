// A playlist of what was recorded: which moment is shown where.

export interface Piece {
  /** Where it is in the playlist, seconds. */
  at: number;
  length: number;
  /** When it was taken, milliseconds since 1970. */
  date: number;
}

/** Reads the segments of a media playlist (RFC 8216). */
export function readList(text: string): Piece[] {
  const pieces: Piece[] = [];
  let at = 0;
  let date = 0;
  for (const line of text.split("\n")) {
    if (line.startsWith("#EXT-X-PROGRAM-DATE-TIME:")) date = Date.parse(line.slice(line.indexOf(":") + 1));
    else if (line.startsWith("#EXTINF:")) {
      const length = Number.parseFloat(line.slice(line.indexOf(":") + 1));
      pieces.push({ at, length, date });
      at += length;
      date += length * 1000;
    }
  }
  return pieces;
}

/** The moment that is shown at a place. */
export function dateAt(pieces: readonly Piece[], at: number): number | null {
  const piece = pieces.findLast((p) => p.at <= at) ?? pieces[0];
  return piece ? piece.date + Math.min(at - piece.at, piece.length) * 1000 : null;
}

/** Where a moment is shown; the next one that was recorded where it was not. */
export function placeOf(pieces: readonly Piece[], date: number): number | null {
  const piece = pieces.find((p) => p.date + p.length * 1000 > date);
  return piece ? piece.at + Math.max(0, (date - piece.date) / 1000) : null;
}
