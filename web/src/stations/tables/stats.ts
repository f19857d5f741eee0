import type { Request } from "../../parts/table-plan";

export type Stat = NonNullable<Request["show"]>[number];
