// What of the console is neither drawn nor asked for, for its tests: test/console_models_test.go.
export * as pages from "../src/app/pages";
export * as chain from "../src/features/queues/chain";
export * as endpoints from "../src/features/endpoints/model";
export * as estate from "../src/features/estate/model";
export * as grants from "../src/features/grants/model";
export * as hours from "../src/lib/hours";
export * as lineup from "../src/features/lineup/drawing";
export * as queues from "../src/features/queues/model";
export * as site from "../src/features/sites/site";
export * as forms from "../src/parts/fieldsOf";
export { ProblemError } from "../src/api/client";
export * as stock from "../src/parts/stock";
export * as among from "../src/lib/among";
export * as time from "../src/lib/time";
export * as words from "../src/lib/words";
