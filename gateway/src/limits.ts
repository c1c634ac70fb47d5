/** Bounds of the gateway. Times in milliseconds, sizes in bytes. */
export const GATEWAY_LIMITS = {
  /** Connections to one backend origin; more wait in line. */
  connectionsPerBackend: 128,
  /** Origins of backends whose connections are kept. */
  backendOrigins: 500,
  /** Answers of backends that go on, for subscriptions; and how long one may say nothing. */
  backendStreams: 2_000,
  backendStreamSilenceMs: 600_000,
  /** Connections to brokers, those of filters that somebody listens to among them. */
  brokerConnections: 500,
  /** One message of a WebSocket of a backend. */
  backendMessageBytes: 4 * 1024 * 1024,
  /** A connection that does not come about. */
  connectMs: 5_000,
  /** Headers of a caller's request: time against slow senders (slowloris), and size. */
  headersMs: 15_000,
  headerBytes: 32 * 1024,
  /** A caller's whole request. */
  requestMs: 120_000,
  /** A connection of a caller without a request. */
  keepAliveMs: 65_000,
  /** Requests in flight; beyond it 503. */
  concurrent: 10_000,
  /** How often the two before are looked at. */
  connectionCheckMs: 5_000,
  /** Fields of a caller's head; beyond it 431. */
  headerFields: 1_000,
  /** How long SIGTERM waits for requests in flight. */
  drainMs: 10_000,
  /** How long anything else may take to end then. */
  closeMs: 3_000,
  /** For so long a kept-alive connection may be silent after SIGTERM before it is closed. */
  drainGraceMs: 1_000,
  /** Traces waiting for the studio; the oldest go first. */
  tracesWaiting: 500,
  /** Together, in characters of their text. */
  tracesWaitingChars: 32 * 1024 * 1024,
  /** Traces that a gateway keeps for its own control port, and in a second so many at the most where no studio wants them. */
  tracesKept: 200,
  tracesKeptChars: 16 * 1024 * 1024,
  tracesASecond: 20,
  /** Traces are sent in batches this often. */
  tracesEveryMs: 250,
  /** The feed is opened again after a wait that doubles between these two. */
  feedRetryMinMs: 250,
  feedRetryMaxMs: 5_000,
  /** The studio sends something at least every 5 s; silence for this long means the line is dead. */
  feedSilenceMs: 20_000,
  /** How long a broker may take to confirm an event, and the wait before it is connected to again. */
  brokerMs: 10_000,
  brokerRetryMs: 1_000,
  /** Seconds for which a broker keeps what was not confirmed for a gateway that is away (MQTT 5). */
  brokerSessionS: 86_400,
  /** How long a shared store may take to answer before it counts as away, and the longest wait before it is tried again. */
  storeMs: 500,
  storeRetryMs: 2_000,
  /** A call that a shared store counts as going on is forgotten after this, should its gateway die. */
  leaseMs: 180_000,
  /** The largest reply that goes into a shared store. */
  storedBytes: 4 * 1024 * 1024,
  /** One message of a WebSocket; how many may wait for their answers; how often it must show that it lives. */
  socketMessageBytes: 1024 * 1024,
  socketWaiting: 100,
  socketBeatMs: 30_000,
  /** Compiled drafts kept for rehearsals. */
  drafts: 20,
} as const;
