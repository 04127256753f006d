// Machines are shared and noisy: a test is given up when it hangs, not when it is slow. Speed is measured elsewhere.
import { jest } from "@jest/globals";

jest.setTimeout(300_000);
