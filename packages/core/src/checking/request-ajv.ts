import { Ajv } from 'ajv';
import addFormats from 'ajv-formats';
import { characterFault, linearPatterns } from '../model/value.js';
import { textFault, type TextLimit } from '../text/characters.js';
import { lineFault } from '../text/line.js';

/**
 * An Ajv that checks requests: unknown properties are refused rather than dropped. `x-characters` counts characters as people do;
 * `x-line` is for texts of one line, `x-storable` for what the database can hold.
 * @param coerce whether what comes as text anyway (path, query) is converted
 * @param limitOf the bounds that `x-characters` names, and whether such a text has one line; where a schema states them itself,
 *   nothing need be known
 */
export function requestAjv<Limit>(
  coerce: boolean,
  limitOf: (limit: Limit) => TextLimit & { readonly line?: boolean },
): Ajv {
  const ajv = new Ajv({
    removeAdditional: false,
    useDefaults: true,
    coerceTypes: coerce,
    allErrors: true,
    strict: false,
    verbose: true,
    // A developer's pattern may be anything: none may take longer than the text is long.
    code: { regExp: linearPatterns },
  });
  (addFormats as unknown as (ajv: Ajv) => void)(ajv);
  textKeyword(ajv, 'x-characters', (limit: Limit) => {
    const { line = false, ...bounds } = limitOf(limit);
    return (text) => textFault(text, bounds) ?? (line ? lineFault(text) : null);
  });
  textKeyword(ajv, 'x-storable', () => characterFault);
  textKeyword(ajv, 'x-line', () => (text) => (text === '' ? null : (characterFault(text) ?? lineFault(text))));
  return ajv;
}

/** Adds a keyword that says itself what is wrong with a text. */
function textKeyword<T>(ajv: Ajv, keyword: string, compile: (value: T) => (text: string) => string | null): void {
  ajv.addKeyword({
    keyword,
    type: 'string',
    errors: true,
    compile: (value: T) => {
      const faultOf = compile(value);
      const check = (text: string): boolean => {
        const fault = faultOf(text);
        (check as { errors?: object[] }).errors = fault ? [{ keyword, message: fault }] : undefined;
        return fault === null;
      };
      return check;
    },
  });
}
