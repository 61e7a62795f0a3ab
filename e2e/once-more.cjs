jest.retryTimes(1, { logErrorsBeforeRetry: true, retryImmediately: true });
