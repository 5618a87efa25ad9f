/** Why tests of the suite fail that concern us: departures that are wanted. Each names its tests by their ids. */
export const departures: { reason: string; tests: RegExp }[] = [
  {
    reason:
      "There is one kind of numbers, that of JSON: no signed and unsigned integers beside doubles, so nothing overflows at 64 bits, `%` works on fractions, and `math.ceil` takes whole numbers.",
    tests:
      /^(conversions\/type\/(eq|neq)_diff|fp_math\/fp_math\/mod_not_support|integer_math\/(int64_math\/(unary_minus_no_overload|int64_min_negate|int64_overflow_mul_(positive|negative)|uint64_overflow_\w+)|uint64_math\/\w+)|math_ext\/((ceil|floor|round|trunc)\/dyn_error|abs\/int_overflow|bit_not\/uint_\w+)|fields\/qualified_identifier_resolution\/map_key_float)$/,
  },
  {
    reason:
      "Numbers with more digits than a double holds are compared by their decimal value, and a double by the shortest decimal that stands for it; the suite compares as IEEE 754 doubles and 64-bit integers.",
    tests:
      /^(comparisons\/\w+\/\w*(lossy_double|big_double_int|small_double_int)|conversions\/int\/double_big_\w+)$/,
  },
  {
    reason:
      "Dividing by zero is an error, and no result is infinite or no number: neither can stand in JSON.",
    tests:
      /^(comparisons\/\w+\/\w*nan\w*|fp_math\/fp_math\/(divide_zero|fp_overflow_\w+)|math_ext\/(round\/nan|trunc\/nan|isNaN\/\w+|isInf\/\w+|isFinite\/false_\w+))$/,
  },
  {
    reason:
      "Keys of objects are texts, as in JSON: a key that was written as a number is a text when it is walked.",
    tests: /^(macros|macros2)\/exists_?[oO]ne\/map_one$/,
  },
  {
    reason: "A function that does not exist is found before anything runs, not when a side of || is reached.",
    tests: /^(basic\/functions\/unbound_is_runtime_error|parse\/receiver_function_names\/\w+)$/,
  },
  {
    reason: "Names in scope hold no dots, and there are no containers (namespaces) to look names up in.",
    tests: /^(namespace\/\w+\/\w+|fields\/qualified_identifier_resolution\/\w+)$/,
  },
  {
    reason: "Times and durations have milliseconds, and a time as a text always shows three digits of them.",
    tests:
      /^timestamps\/(timestamp_conversions\/toString_timestamp\w*|timestamp_range\/add_duration_nanos_\w+)$/,
  },
  {
    reason: "A duration may be up to 10,000 years long; the suite's is one of 64 bits of nanoseconds.",
    tests: /^timestamps\/timestamp_range\/sub_time_duration_\w+$/,
  },
  {
    reason: "In an optional chain null counts as absent, so `a.?b.c` is empty where b is null.",
    tests: /^optionals\/optionals\/map_null_entry_no_such_key$/,
  },
];
