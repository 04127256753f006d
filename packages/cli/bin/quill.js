#!/usr/bin/env node
import { run } from "loyal-quill";

await run(process.argv);
