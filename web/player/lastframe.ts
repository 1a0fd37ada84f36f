/** Keeps the frame on show as the video element's poster, so that it stays when what brought it is closed. */
export function keepLastFrame(video: HTMLVideoElement): void {
  const { videoWidth: width, videoHeight: height } = video;
  if (width === 0 || video.readyState < HTMLMediaElement.HAVE_CURRENT_DATA) return;
  const canvas = document.createElement("canvas");
  const scale = Math.min(1, 1280 / width);
  canvas.width = Math.round(width * scale);
  canvas.height = Math.round(height * scale);
  try {
    canvas.getContext("2d")?.drawImage(video, 0, 0, canvas.width, canvas.height);
    video.poster = canvas.toDataURL("image/jpeg", 0.8);
  } catch {
    // of another origin, or too large: then there is none
  }
}

/** Takes what is on show as a JPEG; where that may not be read, what an address gives. */
export async function takeStill({ video, image }: { video: HTMLVideoElement; image: HTMLImageElement }, fallback: string): Promise<Blob> {
  const shown = image.hidden ? video : image;
  const [width, height] = shown === image ? [image.naturalWidth, image.naturalHeight] : [video.videoWidth, video.videoHeight];
  if (width > 0) {
    const canvas = document.createElement("canvas");
    canvas.width = width;
    canvas.height = height;
    try {
      canvas.getContext("2d")?.drawImage(shown, 0, 0);
      const blob = await new Promise<Blob | null>((resolve) => canvas.toBlob(resolve, "image/jpeg", 0.92));
      if (blob) return blob;
    } catch {
      // of another origin
    }
  }
  const answer = await fetch(fallback, { cache: "no-store" });
  if (!answer.ok) throw new DOMException("There is no still.", "NotReadableError");
  return answer.blob();
}
