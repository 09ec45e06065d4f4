import { build, needNode, needPackages } from './steps.mjs';

needNode();
needPackages();
build();
