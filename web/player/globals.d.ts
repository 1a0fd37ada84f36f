/** The path of the built hls.ts, under the service's address. */
declare const __HLS_PATH__: string;
