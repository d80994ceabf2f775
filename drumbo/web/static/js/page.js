// What every page needs beside htmx.
import * as forms from "./forms.js";
import * as guide from "./guide.js";
import * as ledger from "./ledger.js";
import * as polls from "./polls.js";
import * as press from "./press.js";
import { sayTrouble } from "./say.js";
import * as search from "./search.js";

search.listen();
ledger.listen();
forms.listen();
guide.listen();
press.listen();
polls.listen();
sayTrouble();
