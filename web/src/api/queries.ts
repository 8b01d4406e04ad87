import { queryOptions } from "@tanstack/react-query";
import { api, ask } from "./client";

export const queuesQuery = () => queryOptions({ queryKey: ["queues"], queryFn: ({ signal }) => ask(api.GET("/api/v1/queues", { signal })) });
