// What connections of each kind are called, and the words people look for them by.

export const kindTitles: Record<string, string> = {
  model_server: 'model server',
  caldav: 'calendars',
  openapi: 'HTTP API',
  signing_key: 'signing key',
  mailbox: 'mailbox',
  webdav: 'files',
  mcp: 'MCP server',
  sql: 'database',
  web: 'web pages',
  search: 'search page',
  chat_server: 'team chat',
  http: 'HTTP',
}

export const kindWords: Record<string, string> = {
  model_server: 'a server of language models',
  caldav: 'calendars and their events, over CalDAV',
  openapi: 'an API that describes itself, REST, OpenAPI',
  signing_key: 'what webhooks are signed with',
  mailbox: 'e-mail, read and sent, IMAP, SMTP',
  webdav: 'files and folders, WebDAV',
  mcp: 'tools of a server of the Model Context Protocol',
  sql: 'PostgreSQL or SQLite, queries',
  web: 'public pages and feeds, RSS',
  search: 'a search page, OpenSearch',
  chat_server: 'rooms, threads and private messages',
  http: 'requests to an API that has no description',
}
