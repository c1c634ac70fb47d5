/** Subprotocol of WebSockets, with callers and with backends (GraphQL over WebSocket Protocol, as in PROTOCOL.md of the package graphql-ws 6.4.2). */
export const GRAPH_SOCKET = 'graphql-transport-ws';
