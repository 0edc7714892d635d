// @ts-check
import { build } from './prepare.mjs';

build();
