// Coverage is taken of the tests' own processes: what they start is the built program, whose parts are no files of src.
delete process.env.NODE_V8_COVERAGE;
// A fault names the line of the test, not of what was compiled of it.
process.setSourceMapsEnabled(true);
