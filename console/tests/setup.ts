// What a browser has, and is there before the modules are read.
import { vi } from 'vitest';

vi.stubGlobal('navigator', { language: 'en-US' });
vi.stubGlobal('location', { origin: 'http://127.0.0.1:7180' });
