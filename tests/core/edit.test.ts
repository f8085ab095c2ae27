import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { ProblemError } from '../../src/core/place.js';
import { appendBlock, readForEdit, writeEdited } from '../../src/project/edit.js';
import { folderWith } from '../helpers.js';

describe('An edit of a rule file', () => {
  const directory = folderWith({ 'a.css': '\ufeff/* one */\r\n' });

  test('that somebody else changed meanwhile is refused, and theirs stays', () => {
    const form = readForEdit(directory, 'a.css');
    writeFileSync(join(directory, 'a.css'), '/* theirs */');
    expect(() => writeEdited(directory, 'a.css', form, 'mine')).toThrow(ProblemError);
    expect(readFileSync(join(directory, 'a.css'), 'utf8')).toBe('/* theirs */');
    const absent = readForEdit(directory, 'b.css');
    writeFileSync(join(directory, 'b.css'), '/* theirs */');
    expect(() => writeEdited(directory, 'b.css', absent, 'mine')).toThrow(/was changed in the meantime/);
  });

  test.each([
    ['', 'x', 'x\n'],
    ['a\n', 'x\ny', 'a\n\nx\ny\n'],
    ['a', 'x', 'a\n\nx\n'],
    ['a\r\n', 'x\ny', 'a\r\n\r\nx\r\ny\r\n'],
  ])('of %j puts a block at its end', (text, block, expected) => {
    expect(appendBlock({ text, eol: text.includes('\r\n') ? '\r\n' : '\n', bytes: null }, block)).toBe(expected);
  });
});
