"""Random values of a JSON Schema, as far as the models of the application use it."""

#: Letters that texts are made of, odd ones among them.
LETTERS = "abc XYZ019.:{}/\\\"'<&é日\u202e\x00\x1b\t"


def value(random, schema, root=None, depth=0):
    """A value that the schema allows, mostly."""
    root = root or schema
    while "$ref" in schema:
        schema = root["$defs"][schema["$ref"].rsplit("/", 1)[1]]
    if "const" in schema:
        return schema["const"]
    if "enum" in schema:
        return random.choice(schema["enum"])
    for several in ("anyOf", "oneOf"):
        if several in schema:
            return value(random, random.choice(schema[several]), root, depth)
    kind = schema.get("type")
    if kind is None:
        return random.choice((0, 1.5, "a", None, [], {}, True))
    return KINDS[kind](random, schema, root, depth)


def _object(random, schema, root, depth):
    needed = schema.get("required", ())
    wanted = {
        name: inner
        for name, inner in schema.get("properties", {}).items()
        if name in needed or random.random() < (0.5 if depth < 5 else 0.1)
    }
    return {name: value(random, inner, root, depth + 1) for name, inner in wanted.items()}


def _array(random, schema, root, depth):
    if "prefixItems" in schema:
        return [value(random, inner, root, depth + 1) for inner in schema["prefixItems"]]
    least = schema.get("minItems", 0)
    count = random.randint(least, max(least, min(schema.get("maxItems", 4), 4)))
    return [value(random, schema.get("items", {}), root, depth + 1) for _ in range(count)]


def _string(random, schema, root, depth):
    if "pattern" in schema:
        return "#" + "".join(random.choice("0123456789abcdef") for _ in range(6))
    most = min(schema.get("maxLength", 30), 30)
    return "".join(random.choice(LETTERS) for _ in range(random.randint(0, most)))


def _integer(random, schema, root, depth):
    low, high = schema.get("minimum", -3), min(schema.get("maximum", 3000), 3000)
    return random.choice((low, high, random.randint(low, high), 1, 8, 16, 92))


def _number(random, schema, root, depth):
    low = schema.get("minimum", schema.get("exclusiveMinimum", -10))
    high = schema.get("maximum", schema.get("exclusiveMaximum", 10))
    return random.choice((low, high, random.uniform(low, high), round(random.uniform(low, high))))


KINDS = {
    "object": _object, "array": _array, "string": _string, "integer": _integer, "number": _number,
    "boolean": lambda random, *_: random.random() < 0.5, "null": lambda *_: None,
}  # fmt: skip
