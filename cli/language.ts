// What reads workflow files and evaluates expressions: loaded by the few commands that need it, since it takes a while.
export {
  compile,
  evaluateToJson,
  ExpressionError,
  parseTemplate,
  readWorkflow,
  renderTemplate,
  workflowJsonSchema,
} from "@copper-kettle/core";
