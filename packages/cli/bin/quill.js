#!/usr/bin/env node
import { run } from "@loyal-quill/cli";

await run(process.argv);
