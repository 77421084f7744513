// The console of vantrod. Order of the folders: api <- formats <- store; parts see api and
// formats; pages see all; this file puts them together.
import { render } from "preact";
import { Console } from "./pages/console";
import { askWho } from "./store/session";
import { startStream } from "./store/stream";
import "./styles/tokens.css";
import "./styles/base.css";
import "./styles/frame.css";
import "./styles/parts.css";
import "./styles/controls.css";
import "./styles/tables.css";
import "./styles/afar.css";
import "./styles/narrow.css";

const place = document.getElementById("console");
if (place) render(<Console />, place);
startStream();
void askWho();
