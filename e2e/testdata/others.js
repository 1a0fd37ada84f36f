// Plays an address by a player that is not ours, as any page could; what it is at stands
// in window.others. The players' own scripts are on the page.
window.play = async (player, address) => {
  const video = document.querySelector("video");
  const errors = [];
  if (player === "shaka") {
    shaka.polyfill.installAll();
    const p = new shaka.Player();
    await p.attach(video);
    p.addEventListener("error", (e) => e.detail.severity > 1 && errors.push(`error ${e.detail.code}`)); // others it recovers from
    await p.load(address);
    window.others = {
      errors,
      nudge: () => video.readyState < 3 && p.goToLive(),
      select(height) {
        p.configure({ abr: { enabled: false } });
        p.selectVariantTrack(p.getVariantTracks().find((t) => t.height === height), true);
      },
    };
  } else {
    const p = videojs(video, { muted: true, autoplay: true, html5: { vhs: { overrideNative: true } } });
    p.on("error", () => errors.push(p.error().message));
    p.src({ src: address, type: "application/vnd.apple.mpegurl" });
    window.others = {
      errors,
      select(height) {
        for (const r of p.tech(true).vhs.representations()) r.enabled(r.height === height);
      },
    };
  }
  await document.querySelector("video").play();
};
