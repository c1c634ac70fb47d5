export { exampleOf } from './example';
export { costOf, expressionMatcher, patternFault, patternMatcher } from './matchers';
export { inTime, OutOfTime } from './bounded';
export { patternToRegExp } from './print';
export { PatternError, type Matcher, type Verdict } from './tree';
