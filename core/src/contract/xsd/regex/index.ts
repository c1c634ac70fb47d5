export { parsePattern, PatternError, type Pattern } from './parse';
export { patternFault, patternMatcher, type Matcher, type Verdict } from './match';
export { patternToRegExp } from './published';
