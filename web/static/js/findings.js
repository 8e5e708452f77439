// The findings page needs nothing beyond what every page does.
import "./shared.js";
