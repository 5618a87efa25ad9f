export * from "./values/bounds.js";
export { nestsDeeper } from "./values/depth.js";
export * from "./values/json.js";
export * from "./values/paths.js";
export * from "./values/durations.js";
export * from "./values/digest.js";
export * from "./values/encodings.js";
export * from "./values/masking.js";
export { briefJson } from "./values/brief.js";
export { nearest } from "./values/nearest.js";
export * from "./expressions/errors.js";
export { compile, type Expression } from "./expressions/compile.js";
export type { Surroundings } from "./expressions/evaluation.js";
export type { Value, ValueMap } from "./expressions/values.js";
export { functions } from "./expressions/library/table.js";
export { linearRegex } from "./expressions/library/regexes.js";
export type { FunctionEntry } from "./expressions/library/entry.js";
export { macroEntries, type MacroEntry } from "./expressions/library/macro-table.js";
export * from "./expressions/templates.js";
export { referencePage } from "./expressions/reference.js";
export { mostParts, unfold, unfoldTemplate, type Part } from "./expressions/unfold.js";
export { references, type Reference } from "./expressions/references.js";
export { listedFields, schemaFields, type SchemaField } from "./shapes/schema-fields.js";
export { inferShape, saysSomething } from "./shapes/infer.js";
export { shapeCheck, type Mismatch } from "./shapes/drift.js";
export { checkShapes, type Finding, type ShapeScope } from "./shapes/check.js";
export * from "./shapes/complete.js";
export { withShown } from "./shapes/shown.js";
export { objectOf, ofKind, ofSchema, ofValue, type Shape } from "./shapes/shape.js";
export * from "./http/message.js";
export * from "./http/effect.js";
export * from "./http/build.js";
export { inPieces, wholeRequest, type BodyPieces } from "./http/body-pieces.js";
export { finishedRequest, type Piece } from "./http/multipart.js";
export { pictureTypes } from "./http/pictures.js";
export * from "./http/read-body.js";
export { cookiesOf } from "./http/cookies.js";
export * from "./http/retry-after.js";
export * from "./http/retry.js";
export { RateLimit, rateLimitPolicy, type RateLimitPolicy } from "./http/rate-limit.js";
export * from "./credentials/credential.js";
export { DigestSessions } from "./credentials/digest.js";
export { checkScheme, SchemeFault, type SigningScheme } from "./credentials/signed.js";
export * from "./credentials/login.js";
export type { KeyPlace } from "./credentials/place.js";
export { explainRefusal, explainTls, type Refusal } from "./credentials/explain-refusal.js";
export * from "./credentials/clean.js";
export * from "./credentials/oauth.js";
export * from "./credentials/parts.js";
export * from "./credentials/ends.js";
export * from "./credentials/explain-token.js";
export { requestSheet } from "./credentials/request-sheet.js";
export * from "./apis/catalogue.js";
export * from "./apis/openapi.js";
export * from "./apis/edit.js";
export { allServers, serverFor } from "./apis/servers.js";
export type { SecurityScheme } from "./apis/security-schemes.js";
export { withFixedFields } from "./apis/fixed.js";
export * from "./apis/body-fields.js";
export {
  idsFromAddress,
  idsInAddress,
  patternsOf,
  webAddress,
  withIdsFrom,
  type Extensions,
} from "./apis/extensions.js";
export { choicesIn, type Choice, type ChoicesFrom } from "./apis/choices.js";
export * from "./apis/records.js";
export { ruleFault, type Rule } from "./apis/rules.js";
export { inlinedSchema } from "./apis/inline.js";
export * from "./apis/operation-request.js";
export * from "./apis/parameter-faults.js";
export * from "./apis/responses.js";
export * from "./apis/changes.js";
export { explainAnswer } from "./apis/explain-response.js";
export { decoded, NotUnderstood, pastedUrl, type PastedRequest } from "./apis/pasted/request.js";
export { readPasted } from "./apis/pasted/read.js";
export { printCurl, secretVariable } from "./apis/pasted/print-curl.js";
export * from "./apis/pasted/understand.js";
export {
  stepKinds,
  workflowJsonSchema,
  stepName,
  workflowName,
  type StepKind,
} from "./workflows/document.js";
export { triggerKinds, type TriggerKind } from "./workflows/document-triggers.js";
export * from "./workflows/problems.js";
export { lineEnd, lineStart } from "./workflows/edit-text.js";
export { readYaml, YamlBeyondBounds, yamlBounds } from "./workflows/yaml-bounds.js";
export { readWorkflow, type ReadWorkflow } from "./workflows/read.js";
export * from "./workflows/outline.js";
export { workflowCalls } from "./workflows/nested.js";
export { firstChangedStep } from "./workflows/changed.js";
export * from "./workflows/edit.js";
export { readInstead, rename, renameFunction, replaceNamed, type Renamed } from "./workflows/rename.js";
export { expressionKeys, fieldAt, stepFields, type Field } from "./workflows/fields.js";
export * from "./editing/steps.js";
export * from "./editing/names.js";
export * from "./editing/paste.js";
export { linesOf, inputNames, type EditorLine } from "./editing/lines.js";
export { requestText, summaryOf, triggerSummary } from "./editing/summary.js";
export { fileForm, stepForm, triggerForm, type FormField, type FormKind } from "./editing/forms.js";
export * from "./editing/begin.js";
export { retied, tiesOf, type Tie } from "./editing/ties.js";
export { valueOfWords, valueTyped } from "./editing/typed.js";
export { callAt, callWords, callWordsAt } from "./editing/call-words.js";
export { callMessage, type CallMessage } from "./editing/call-message.js";
export { readyCall, targetOf } from "./workflows/ready-call.js";
export { samplesOf } from "./editing/samples.js";
export { completeFile, type FileCompletion, type FileNames } from "./editing/complete.js";
export { setInOrder } from "./editing/order.js";
export * from "./editing/insert.js";
export { brokenReads, brokenText, type BrokenRead } from "./editing/broken.js";
export { describeWorkflow, type Description, type Way } from "./workflows/describe.js";
export { openApiOf, type CallableAt } from "./workflows/describe-openapi.js";
export { adoptStep, CannotAdopt, type Adopted } from "./workflows/adopt.js";
export type * from "./workflows/steps.js";
export type * from "./workflows/triggers.js";
export {
  evaluateIn,
  itemsOf,
  readInSteps,
  judgeEvent,
  renderIn,
  type Brought,
  type DeliveredItem,
  type Judged,
} from "./workflows/judge-event.js";
export { dueAt, isOnTime, nextBeat, nextBeats, type Schedule } from "./triggers/schedule.js";
export {
  sameBytes,
  signChallenge,
  verifyHmac,
  verifyStandard,
  type Delivery,
  type HmacRule,
  type Verdict,
} from "./triggers/verify.js";
export { mayRespondWith } from "./http/response-headers.js";
export {
  askedMark,
  isPlausiblyGone,
  differenceInSteps,
  nextMark,
  type Difference,
  type Mark,
  type ReadItem,
} from "./triggers/poll.js";
export { wordsOf } from "./triggers/words.js";
export * from "./engine/awaited.js";
export * from "./engine/entries.js";
export { currentEntry } from "./engine/formats.js";
export * from "./engine/options.js";
export * from "./engine/ports.js";
export * from "./engine/principals.js";
export * from "./engine/summary.js";
export * from "./engine/repeat.js";
export * from "./engine/compare.js";
export { bodyOfAttempt } from "./engine/page-body.js";
export { fixedOutcomes, scopeOf } from "./engine/shown-scope.js";
export { advance, type Advanced } from "./engine/advance.js";
export type { RunFacts } from "./engine/frame.js";
export { longestWaitInMemory, type Signals } from "./engine/progress.js";
export { isRefusal } from "./engine/steps/call/using.js";
export { exchange, type Exchanged } from "./engine/steps/call/exchange.js";
export { statusText } from "./engine/steps/call/status-text.js";
