/** The page server, for the command line: it reaches the network through the use cases only. */
export { serveLocalPage } from "../../net/local-page.ts";
