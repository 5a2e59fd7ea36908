import { IsObject, ValidateNested } from 'class-validator';

/** A member that is an object of its `Type`. `ValidateNested` alone takes a list for many of them, an empty one for none. */
export function Nested(): PropertyDecorator {
  return (target, property) => {
    IsObject()(target, property);
    ValidateNested()(target, property);
  };
}

/** A list of objects of its `Type`, none of them a list itself. Goes with `IsArray`. */
export function NestedEach(): PropertyDecorator {
  return (target, property) => {
    IsObject({ each: true })(target, property);
    ValidateNested({ each: true })(target, property);
  };
}
