// Import this first. Encoding and decoding occupy threads of the pool for long; with the default number, writing
// results would wait behind them. Read when the pool is first used.
process.env.UV_THREADPOOL_SIZE ??= '12';

export {};
