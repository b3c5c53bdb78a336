"""Columns that cannot go to the program and back: they are carried as another type, and are as before in the result."""

from pyspark.sql import functions as F
from pyspark.sql import types as T
from pyspark.sql.pandas.types import to_arrow_type

def needs_carrying(of):
    """Whether rows with this type cannot be sent as Arrow."""
    if isinstance(of, T.ArrayType):
        return needs_carrying(of.elementType)
    if isinstance(of, T.MapType):
        return needs_carrying(of.keyType) or needs_carrying(of.valueType)
    if isinstance(of, T.StructType):
        return any(needs_carrying(field.dataType) for field in of.fields)
    if isinstance(of, T.NullType) or _is_variant(of):
        return True
    try:
        to_arrow_type(of)
    except Exception:  # The engine's error for a type that it does not convert.
        return True
    return False


def _is_variant(of):
    return of.typeName() == "variant"


def there(value, of):
    """A value as another type."""
    return _each(value, of, _there)


def back(value, of):
    """A carried value as it was."""
    return _each(value, of, _back)


def _there(value, of):
    if isinstance(of, T.NullType):
        return F.lit(None).cast("boolean")
    return F.to_json(value) if _is_variant(of) else value.cast("string")


def _back(value, of):
    if isinstance(of, T.NullType):
        return F.lit(None)
    return F.parse_json(value) if _is_variant(of) else value.cast(of)


def _each(value, of, change):
    """A value with each of its parts changed that cannot be sent."""
    if not needs_carrying(of):
        return value
    each = lambda part, of_part: _each(part, of_part, change)
    if isinstance(of, T.ArrayType):
        return F.transform(value, lambda one: each(one, of.elementType))
    if isinstance(of, T.MapType):
        keys = F.transform(F.map_keys(value), lambda one: each(one, of.keyType))
        return F.map_from_arrays(keys, F.transform(F.map_values(value), lambda one: each(one, of.valueType)))
    if isinstance(of, T.StructType):
        fields = [each(value.getField(field.name), field.dataType).alias(field.name) for field in of.fields]
        return F.when(value.isNotNull(), F.struct(*fields))
    return change(value, of)
