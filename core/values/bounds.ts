/**
 * Every bound on what comes from outside, in one place. docs/limits.md lists each with what happens at it, and a test
 * holds the two together. Sizes are in characters or bytes, times in milliseconds.
 */
export const bounds = {
  /** How deep JSON may nest, and any value that an expression gives (RFC 8259 section 9 leaves it to the reader). */
  jsonDepth: 200,
  /** Numbers in one JSON text that a double does not hold: each costs as much as a hundred others. */
  exactNumbers: 500_000,
  /** Columns of a CSV text. */
  csvColumns: 1_000,
  /** Cells of a CSV text. */
  csvCells: 2_000_000,
  /** Elements and attributes of an XML text. */
  xmlParts: 500_000,
  /** Attributes of one XML element. */
  xmlAttributes: 1_000,
  /** Items of one response of events or JSON lines; what follows is not read. */
  streamedItems: 10_000,
  /** Connections of one kind to one server at once; further calls wait for one of them. */
  connectionsToServer: 128,
  /** Kinds of connections (by port and client certificate) that are kept open. */
  connectionKinds: 200,
  /** A response body that is longer is read beside the service's own work, in bytes. */
  readAside: 262_144,
  /** How long that reading may take. */
  readMillis: 30_000,
  /** Reading one API document may take so long, in milliseconds. */
  documentMillis: 120_000,
  /** A workflow file, in characters. */
  fileLength: 2_000_000,
  /** How deep a YAML text may nest. */
  fileDepth: 100,
  /** Keys of one mapping of a workflow file. */
  fileKeys: 2_000,
  /** Steps of a workflow file, those in other steps counted. */
  fileSteps: 1_000,
  /** Values of a workflow file, aliases counted as often as they stand. */
  fileValues: 100_000,
  /** Problems that are reported of one workflow file. */
  fileProblems: 100,
  /** The document of an API, in characters. */
  documentLength: 20_000_000,
  /** Values of the document of an API, aliases counted as often as they stand. */
  documentValues: 2_000_000,
  /** Notes and faults that are reported of the document of an API, or of inputs. */
  notes: 100,
  /** Fields of the body of one operation that a step may give by name. */
  bodyFields: 500,
  /** Choices of a parameter that another operation gives. */
  choices: 1_000,
  /** The body of a request to the service, in bytes. */
  requestBody: 10_000_000,
  /** The body of a request that describes an API, in bytes. */
  documentBody: 45_000_000,
  /** Connections to the service at once. */
  connections: 1_000,
  /** Deliveries to webhooks from one address in a minute; more are answered 429. */
  deliveries: 6_000,
  /** Bodies of deliveries that come in at once, and their bytes. */
  deliveriesInFlight: 50,
  deliveryBytesInFlight: 200_000_000,
  /** Refused deliveries of a trigger that are kept, and how many of them are noted in a minute. */
  refusedDeliveries: 20,
  /** Items of one delivery, and so the runs that it starts. */
  deliveredItems: 1_000,
  /** Parts of a form with files that is delivered. */
  deliveredParts: 1_000,
  /** Wrong access tokens from one address in a minute; more are answered 429. */
  wrongTokens: 100,
  /** Attempts to sign in from one address in a minute. */
  signIns: 30,
  /** How often a run that fails to go on for a reason of its own is tried again before it is parked. */
  runFaults: 3,
  /** Time between two such tries. */
  runFaultPause: 10_000,
  /** Runs that act at once. */
  actingRuns: 500,
  /** Of these turns so many are for runs whose starters wait for the response. */
  reservedTurns: 50,
  /** Rate limits that are remembered at once, by API and credential. */
  lanes: 10_000,
  /** Steps that are pasted at once in the editor; each name is made free by itself. */
  pastedSteps: 100,
  /** Runs that a list counts; it shows those beyond, too. */
  countedRuns: 10_000,
  /** Time that one search of the runs takes. */
  scanMillis: 5_000,
  /** Searches that wait for the one under way. */
  scansWaiting: 20,
} as const;
