// Listens to a video element and looks at its pictures, to find the click and the
// flash of the simulated scene. window.heard has the loudness; window.offsets by how
// many milliseconds the click came after the flash, one for each second; window.calm
// the longest time in which the page was never kept waiting, milliseconds.
(video) => {
  const context = new AudioContext({ latencyHint: "interactive" });
  const source = video.srcObject ? context.createMediaStreamSource(video.srcObject) : context.createMediaElementSource(video);
  const size = 256;
  const tap = context.createScriptProcessor(size, 2, 1);
  source.connect(tap);
  tap.connect(context.destination);
  window.heard = 0;
  window.offsets = [];
  const clicks = [];
  const flashes = [];
  // The time of the page's clock at which a time of the context is worked on. What the
  // context takes to put sound out is not the element's, which goes past it as a rule.
  const workedAt = (time) => performance.now() + (time - context.currentTime) * 1000;
  const loudClick = 0.3;
  tap.onaudioprocess = (e) => {
    const samples = e.inputBuffer.getChannelData(0);
    let sum = 0;
    for (let i = 0; i < samples.length; i++) {
      sum += samples[i] * samples[i];
      // What comes in was taken two blocks before what goes out is played.
      const at = workedAt(e.playbackTime - (2 * size) / context.sampleRate + i / context.sampleRate);
      if (Math.abs(samples[i]) > loudClick && !(at - clicks.at(-1) < 500)) clicks.push(at);
    }
    window.heard = Math.max(window.heard * 0.99, Math.sqrt(sum / samples.length));
    pair();
  };
  const canvas = Object.assign(document.createElement("canvas"), { width: 1, height: 1 });
  const pen = canvas.getContext("2d", { willReadFrequently: true });
  // The lamp's luma falls from 235 to 90 in 120 ms.
  const bright = 255, faint = ((90 - 16) * 255) / 219, lasts = 120;
  const look = (_, { expectedDisplayTime }) => {
    const { videoWidth: w, videoHeight: h } = video;
    // It stands left of the QR code, which has 29 modules with its quiet zone.
    const side = (h * 56) / 720;
    const code = 29 * Math.max(2, Math.round((6 * h) / 720)) + 4;
    pen.drawImage(video, w - code - (8 * h) / 720 - 2 - 0.7 * side, h - 4 - 0.7 * side, 0.4 * side, 0.4 * side, 0, 0, 1, 1);
    const luma = pen.getImageData(0, 0, 1, 1).data[1];
    if (luma > faint + 25 && !(expectedDisplayTime - flashes.at(-1) < 500)) {
      flashes.push(expectedDisplayTime - (lasts * (bright - luma)) / (bright - faint));
    }
    video.requestVideoFrameCallback(look);
  };
  video.requestVideoFrameCallback(look);
  watchCalm();
  function watchCalm() {
    const every = 50, late = 50;
    let since = performance.now(), last = since;
    window.calm = 0;
    setInterval(() => {
      const now = performance.now();
      if (now - last > every + late) since = now;
      last = now;
      window.calm = Math.max(window.calm, now - since);
    }, every);
  }
  const pair = () => {
    for (const click of clicks) {
      const flash = flashes.find((f) => Math.abs(f - click) < 450);
      if (flash === undefined) continue;
      window.offsets.push(click - flash);
      clicks.splice(clicks.indexOf(click), 1, -1e9);
    }
    while (clicks.length > 8) clicks.shift();
    while (flashes.length > 8) flashes.shift();
  };
  return context.resume().then(() => true);
}
