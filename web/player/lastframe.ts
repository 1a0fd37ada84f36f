/** Where pictures are shown. */
interface Shown {
  video: HTMLVideoElement;
  image: HTMLImageElement;
}

/** Draws what is on show, no wider than so many pixels; null when there is nothing. */
function drawn({ video, image }: Shown, widest = Infinity): HTMLCanvasElement | null {
  const still = !image.hidden;
  const [width, height] = still ? [image.naturalWidth, image.naturalHeight] : [video.videoWidth, video.videoHeight];
  if (width === 0 || (!still && video.readyState < HTMLMediaElement.HAVE_CURRENT_DATA)) return null;
  const canvas = document.createElement("canvas");
  const scale = Math.min(1, widest / width);
  canvas.width = Math.round(width * scale);
  canvas.height = Math.round(height * scale);
  canvas.getContext("2d")?.drawImage(still ? image : video, 0, 0, canvas.width, canvas.height);
  return canvas;
}

/** Keeps the frame on show as the video element's poster, so that it stays when what brought it is closed. */
export function keepLastFrame(stage: Shown): void {
  try {
    const canvas = drawn(stage, 1280);
    if (canvas) stage.video.poster = canvas.toDataURL("image/jpeg", 0.8);
  } catch {
    // of another origin, or too large: then there is none
  }
}

/** Takes what is on show as a JPEG; where that may not be read, what an address gives. */
export async function takeStill(stage: Shown, fallback: string): Promise<Blob> {
  try {
    const canvas = drawn(stage);
    const blob = canvas && (await new Promise<Blob | null>((resolve) => canvas.toBlob(resolve, "image/jpeg", 0.92)));
    if (blob) return blob;
  } catch {
    // of another origin
  }
  const answer = await fetch(fallback, { cache: "no-store" });
  if (!answer.ok) throw new DOMException("There is no still.", "NotReadableError");
  return answer.blob();
}
