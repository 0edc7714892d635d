// Import this first. Encoding and decoding take the threads of the pool for long; with as few as there are by default,
// writing what was made would wait behind them. Read when the pool is first used.
process.env.UV_THREADPOOL_SIZE ??= '12';

export {};
