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
    if not needs_carrying(of):
        return value
    if isinstance(of, T.ArrayType):
        return F.transform(value, lambda one: there(one, of.elementType))
    if isinstance(of, T.MapType):
        keys = F.transform(F.map_keys(value), lambda one: there(one, of.keyType))
        return F.map_from_arrays(keys, F.transform(F.map_values(value), lambda one: there(one, of.valueType)))
    if isinstance(of, T.StructType):
        fields = [there(value.getField(field.name), field.dataType).alias(field.name) for field in of.fields]
        return F.when(value.isNotNull(), F.struct(*fields))
    if isinstance(of, T.NullType):
        return F.lit(None).cast("boolean")
    return F.to_json(value) if _is_variant(of) else value.cast("string")


def back(value, of):
    """A value that was carried, as it was."""
    if not needs_carrying(of):
        return value
    if isinstance(of, T.ArrayType):
        return F.transform(value, lambda one: back(one, of.elementType))
    if isinstance(of, T.MapType):
        keys = F.transform(F.map_keys(value), lambda one: back(one, of.keyType))
        return F.map_from_arrays(keys, F.transform(F.map_values(value), lambda one: back(one, of.valueType)))
    if isinstance(of, T.StructType):
        fields = [back(value.getField(field.name), field.dataType).alias(field.name) for field in of.fields]
        return F.when(value.isNotNull(), F.struct(*fields))
    if isinstance(of, T.NullType):
        return F.lit(None)
    return F.parse_json(value) if _is_variant(of) else value.cast(of)
