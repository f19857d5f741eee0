import { codebook } from "./codebook";
import { intake } from "./intake";
import { release } from "./release";
import { screening } from "./screening";
import { tables } from "./tables";
import { weighting } from "./weighting";

/** The stations in the order of the job. */
export const STATIONS = [intake, codebook, screening, weighting, tables, release] as const;
export type StationName = (typeof STATIONS)[number]["name"];
