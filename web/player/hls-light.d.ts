declare module "hls.js/light" {
  export * from "hls.js";
  export { default } from "hls.js";
}
