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
