// The part of the player that is loaded only when HLS is played by script. It is a file
// of its own, since the player's one is both a classic script and a module.
export { playList, ScriptMethod } from "./script";
