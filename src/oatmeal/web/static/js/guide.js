// The guide.
import Alpine from "./common.js";

Alpine.start();
