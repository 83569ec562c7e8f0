// This page, as the application tells it from others: whose press moves what.
export const page = crypto.randomUUID();
